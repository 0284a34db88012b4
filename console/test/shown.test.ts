import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { createVuetify } from 'vuetify'

import StandingMark from '../src/components/StandingMark.vue'
import { shown } from '../src/shown'

describe('shown', () => {
  it('leaves what shows as itself', () => {
    for (const text of [
      'Tidewrack',
      'Zoë & the Hollow',
      '霧の灯',
      'Тихий сигнал',
      'two\nlines\tand more',
      '',
    ])
      expect(shown(text)).toBe(text)
    expect(shown(7)).toBe('7')
    expect(shown(null)).toBe('')
  })

  it('isolates what is written from right to left', () => {
    expect(shown('שלום')).toBe('\u2068שלום\u2069')
    expect(shown('Save of مرحبا')).toBe('\u2068Save of مرحبا\u2069')
  })

  it('writes out what does not show', () => {
    expect(shown('a\u202Eb')).toBe('a\\u202Eb')
    expect(shown('a\u200Bb\u0000')).toBe('a\\u200Bb\\u0000')
    expect(shown('\u2069out of it')).toBe('\\u2069out of it')
    expect(shown('\u{E0001}')).toBe('\\uE0001')
  })
})

// The build writes it into every template.
describe('a template', () => {
  it('shows what it interpolates so', () => {
    const w = mount(StandingMark, {
      props: { standing: 'observed', reason: 'x' },
      global: { plugins: [createVuetify()], mocks: { $shown: (v: unknown) => `<<${String(v)}>>` } },
    })
    expect(w.text()).toContain('<<')
  })
})
