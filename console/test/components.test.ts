import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { createMemoryHistory, createRouter } from 'vue-router'
import { createVuetify } from 'vuetify'

import { ProblemError } from '../src/api/client'
import LocationText from '../src/components/LocationText.vue'
import PageState from '../src/components/PageState.vue'
import StandingMark from '../src/components/StandingMark.vue'
import { signInWanted } from '../src/queries'

const router = createRouter({
  history: createMemoryHistory(),
  routes: [{ path: '/:rest(.*)*', component: { template: '<div/>' } }],
})
const global = { plugins: [createVuetify(), router] }

describe('LocationText', () => {
  it('draws the anchor, the pattern and what varies', () => {
    const w = mount(LocationText, { props: { at: 'xdg-data:tide:wrack/{slot}.sav' }, global })
    expect(w.get('.anchor').text()).toBe('xdg-data')
    expect(w.get('.pattern').text()).toBe('tide:wrack/{slot}.sav')
    expect(w.get('.varies').text()).toBe('{slot}')
    expect(w.find('button').exists()).toBe(false)
  })

  it('shows markup as text', () => {
    const w = mount(LocationText, { props: { at: 'home:<img src=x onerror=alert(1)>' }, global })
    expect(w.find('img').exists()).toBe(false)
    expect(w.text()).toContain('<img')
  })

  it('offers copying where there are forms', () => {
    const w = mount(LocationText, { props: { at: 'xdg-data:a/b', forms: [] }, global })
    expect(w.get('button').attributes('aria-label')).toBe('Copy xdg-data:a/b')
  })
})

describe('StandingMark', () => {
  it('is a word and a shape, with the reason for those who cannot point', () => {
    const observed = mount(StandingMark, { props: { standing: 'observed', reason: 'mira saw it' }, global })
    expect(observed.text()).toContain('observed')
    expect(observed.attributes('aria-label')).toBe('observed: mira saw it')
    expect(observed.attributes('tabindex')).toBe('0')
    expect(observed.find('circle').exists()).toBe(false)
    const confirmed = mount(StandingMark, { props: { standing: 'confirmed', reason: 'two saw it' }, global })
    expect(confirmed.find('circle').exists()).toBe(true)
  })

  it('is nothing without a standing', () => {
    expect(mount(StandingMark, { props: { standing: '', reason: '' }, global }).text()).toBe('')
  })
})

describe('PageState', () => {
  const problem = (status: number, more = {}) =>
    new ProblemError({ type: 'about:blank', title: 'It failed', status, ...more })
  const state = (error: Error | null, pending = false, empty = false) =>
    mount(PageState, {
      props: { pending, error, empty },
      slots: { default: 'content', empty: 'nothing here' },
      global,
    })

  it('waits, shows, and says that there is nothing', () => {
    expect(state(null, true).find('[aria-label=Loading]').exists()).toBe(true)
    expect(state(null).text()).toBe('content')
    expect(state(null, false, true).text()).toBe('nothing here')
  })

  it('keeps what is there when asking again fails', async () => {
    const kept = (status: number) =>
      mount(PageState, {
        props: { pending: false, error: problem(status, { detail: 'no answer' }), kept: true },
        slots: { default: 'content' },
        global,
      })
    const failed = kept(500)
    expect(failed.text()).toContain('content')
    expect(failed.get('[role=alert]').text()).toContain('no answer')
    const expired = kept(401)
    expect(expired.text()).toContain('content')
    await expired.get('button').trigger('click')
    expect(signInWanted.value).toBe(true)
    signInWanted.value = false
  })

  it('says what went wrong and what to do', async () => {
    expect(state(problem(401)).text()).toContain('Sign in')
    expect(state(problem(404)).text()).toContain('All titles')
    const failed = state(problem(500, { detail: 'the service failed', request_id: 'r-1' }))
    expect(failed.text()).toContain('the service failed')
    expect(failed.text()).toContain('r-1')
    await failed.get('button').trigger('click')
    expect(failed.emitted('again')).toHaveLength(1)
  })
})
