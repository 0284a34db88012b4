import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'

import DraftQuestions from '../src/pages/workbench/DraftQuestions.vue'
import { createVuetify } from 'vuetify'
import * as components from 'vuetify/components'

const show = (questions: object[], answerable = true) =>
  mount(DraftQuestions, {
    props: { questions: questions as never, answerable, busy: false },
    global: { plugins: [createVuetify({ components })] },
  })

describe('questions in a draft', () => {
  it('offer the answers that can be given, and say which was', async () => {
    const page = show([
      {
        ask: 'what is a.db?',
        topic: 'kind',
        of: ['xdg-data:tw/a.db'],
        answers: ['progress', 'none'],
        answer: '',
      },
    ])
    await page.findAll('button')[0]!.trigger('click')
    expect(page.emitted('answer')).toEqual([[0, 'progress']])
  })

  it('let names be chosen one by one', async () => {
    const page = show([{ ask: 'which?', topic: 'names', of: ['Anna', 'slot'], answer: 'slot' }])
    await page.findAll('input')[0]!.setValue(true)
    expect(page.emitted('answer')).toEqual([[0, 'slot, Anna']])
    await page.findAll('input')[1]!.setValue(false)
    expect(page.emitted('answer')![1]).toEqual([0, 'none'])
  })

  it('are only told where they cannot be answered', () => {
    const page = show([{ ask: 'which?', topic: 'names', answer: '2 of them' }], false)
    expect(page.text()).toContain('Answer: 2 of them')
    expect(page.find('input').exists()).toBe(false)
  })
})
