import { mount } from '@vue/test-utils'
import { expect, test } from 'vitest'
import { createVuetify } from 'vuetify'

import ProofReview from '../src/pages/reviews/ProofReview.vue'

const round = (away: string[], answer: string, says: string) => ({
  steps: [away.length ? 'all locations were taken away' : 'all files were in their places'],
  away,
  question: answer && 'Did it show a new game, or your progress?',
  answer,
  contradiction: '',
  began: '2026-11-28T12:00:00Z',
  sees: answer ? [{ at: 'xdg-data:a/', says }] : [],
  became: answer ? [] : [{ at: 'xdg-data:a/', says }],
})

function shown(aim: string, ...rounds: ReturnType<typeof round>[]) {
  const proof = {
    aim,
    says: '1 needed',
    version: '1.2',
    by: 'endroit',
    began: '2026-11-28T12:00:00Z',
    rounds,
    by_list: aim === 'listed',
    locations: [
      { at: 'xdg-data:a/', holds: 'save', files: 2, result: 'needed', why: 'without it a new game' },
    ],
  }
  return mount(ProofReview, { props: { proof: proof as never }, global: { plugins: [createVuetify()] } })
}

test('both starts stand side by side, with the question and the answers', () => {
  const page = shown(
    'locations',
    round(['xdg-data:a/'], 'a new game', '2 files were looked for and missing'),
    round([], 'the progress', '2 files were there and read'),
  )
  const rows = page.findAll('tbody tr').map((r) => r.text())
  expect(page.find('thead').text()).toContain('With all away')
  expect(page.find('thead').text()).toContain('With all in place')
  expect(rows[0]).toContain('looked for and missing')
  expect(rows[0]).toContain('there and read')
  expect(rows[1]).toMatch(/new game, or your progress\?.*a new game.*the progress/s)
  expect(page.text()).toContain('needed')
})

test('an operation has no question', () => {
  const page = shown('uninstall', round([], '', '2 files gone'))
  expect(page.text()).not.toContain('?')
  expect(page.find('tbody').text()).toContain('2 files gone')
  expect(page.text()).toContain('What was found afterwards')
})

test('what a launcher lists was read, and nothing was brought back', () => {
  const page = shown('listed', round([], '', '2 files are listed'))
  expect(page.text()).not.toContain('?')
  expect(page.text()).not.toContain('brought back')
  expect(page.text()).toContain('What was found')
  expect(page.text()).toContain('Read by endroit')
  expect(page.text()).toContain('What is listed')
  expect(page.find('thead').text()).toContain("In the launcher's list")
  expect(page.find('tbody').text()).toContain('2 files are listed')
})
