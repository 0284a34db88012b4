import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { createMemoryHistory, createRouter } from 'vue-router'
import { createVuetify } from 'vuetify'

import type { Schemas } from '../src/api/client'
import PathForms from '../src/components/PathForms.vue'
import SheetReview from '../src/pages/reviews/SheetReview.vue'
import SheetSystems from '../src/pages/launchers/SheetSystems.vue'
import SheetText from '../src/pages/launchers/SheetText.vue'

const router = createRouter({
  history: createMemoryHistory(),
  routes: [{ path: '/:rest(.*)*', component: { template: '<div/>' } }],
})
const global = { plugins: [createVuetify(), router] }

const found: Schemas['Findings'] = {
  os: 'linux',
  installations: 1,
  libraries: 3,
  titles: 12345,
  prefixes: 0,
  accounts: 2,
  in_use: true,
  cloud: true,
  starts: 0,
  missing: 0,
  odd: 0,
}

function shown(more: Partial<Schemas['SheetShown']> = {}): Schemas['SheetShown'] {
  return {
    id: 'quayside',
    text: 'format: endroit/sheet/1\n',
    systems: [
      {
        system: 'linux',
        rows: [{ what: 'installed in', where: '~/.local/share/quayside/', how: 'xdg-data:quayside/' }],
      },
    ],
    found,
    note: '',
    differences: [],
    new: false,
    clashes: [],
    ...more,
  }
}

const review = (more: Partial<Schemas['SheetShown']>, waiting = true) =>
  mount(SheetReview, { props: { sheet: shown(more), waiting }, global })

describe('SheetReview', () => {
  it('says of a new launcher that it is one', () => {
    expect(review({ new: true }).text()).toContain('A new launcher: quayside')
  })

  it('says that the same sheet again is evidence', () => {
    expect(review({}).text()).toContain("It is one more person's evidence for it.")
  })

  it('shows what is changed, added and removed', () => {
    const w = review({
      differences: [
        { field: 'systems.linux.prefixes.user', before: 'player', after: 'somebody' },
        { field: 'systems.linux.home[1]', before: '', after: 'home:.quayside/' },
        { field: 'addresses[0]', before: 'quayside.example/{ref}', after: '' },
      ],
    })
    const lines = w.findAll('.changes li').map((l) => l.text().replace(/\s+/g, ' '))
    expect(lines).toEqual([
      'systems.linux.prefixes.user: player becomes somebody',
      'systems.linux.home[1]: added home:.quayside/',
      'addresses[0]: quayside.example/{ref} is removed',
    ])
    expect(w.findAll('del').map((d) => d.text())).toEqual(['player', 'quayside.example/{ref}'])
    expect(w.text()).toContain('Evidence for the sheet as it is now does not count')
  })

  it('says what keeps it from being accepted', () => {
    const w = review({
      clashes: [{ field: 'addresses[0]', sheet: 'larder', reason: 'it is an address of Larder too' }],
    })
    expect(w.get('[role=alert]').text()).toContain('It cannot be accepted')
    expect(w.get('[role=alert]').text()).toContain('it is an address of Larder too')
  })

  it('counts what it found, and says what was odd only if something was', () => {
    const plain = review({}).text().replace(/\s+/g, ' ')
    expect(plain).toContain(
      'On Linux: 1 installation; 3 libraries; 12,345 installed titles; 0 prefixes; 2 accounts, one in use.',
    )
    expect(plain).toContain('It can tell whether cloud copies are kept.')
    expect(plain).not.toContain('odd')
    const odd = review({
      found: { ...found, in_use: false, cloud: false, starts: 1, missing: 2, odd: 1 },
    })
      .text()
      .replace(/\s+/g, ' ')
    expect(odd).toContain('2 accounts; 1 title of other launchers; 2 of these not there; 1 odd entry.')
    expect(odd).not.toContain('cloud')
  })

  it('shows a note as text', () => {
    const w = review({ note: '<img src=x onerror=alert(1)> is how it ends' })
    expect(w.find('img').exists()).toBe(false)
    expect(w.get('.note').text()).toContain('<img')
  })

  it('shows no changes once it is decided', () => {
    expect(review({ new: true }, false).find('#changes').exists()).toBe(false)
  })
})

describe('SheetSystems', () => {
  it('names systems as their makers do, and shows markup as text', () => {
    const w = mount(SheetSystems, {
      props: {
        systems: [
          { system: 'macos', rows: [{ what: 'libraries', where: '<b>x</b>', how: '' }] },
          { system: 'windows', rows: [] },
        ],
      },
      global,
    })
    expect(w.findAll('h3').map((h) => h.text())).toEqual(['macOS', 'Windows'])
    expect(w.get('.path').text()).toBe('<b>x</b>')
    expect(w.find('.how').exists()).toBe(false)
  })
})

describe('SheetText', () => {
  it('has the sheet to the letter, for those who want it', async () => {
    const text = 'format: endroit/sheet/1\nid: quayside\n'
    const w = mount(SheetText, { props: { text, file: 'quayside.yaml' }, global })
    expect(w.find('pre').exists()).toBe(false)
    const title = w.get('button')
    expect(title.text()).toContain('YAML')
    await title.trigger('click')
    expect(w.get('pre').element.textContent).toBe(text)
  })
})

describe('PathForms', () => {
  const forms = [
    { for: "Windows' file manager", text: '%APPDATA%\\Tidewrack' },
    { for: 'a shell', text: "'/home/mira/Saved Games'" },
  ]

  afterEach(() => vi.unstubAllGlobals())

  it('says what each form is for', () => {
    const w = mount(PathForms, { props: { forms }, global })
    expect(w.findAll('dt').map((d) => d.text())).toEqual(["for Windows' file manager", 'for a shell'])
    expect(w.findAll('dd .mono').map((d) => d.text())).toEqual(forms.map((f) => f.text))
    expect(w.findAll('button').map((b) => b.attributes('aria-label'))).toEqual([
      "Copy for Windows' file manager",
      'Copy for a shell',
    ])
    expect(
      mount(PathForms, { props: { forms: [] }, global })
        .find('dl')
        .exists(),
    ).toBe(false)
  })

  it('copies the form whose button is pressed', async () => {
    const writeText = vi.fn<(text: string) => Promise<void>>().mockResolvedValue()
    vi.stubGlobal('navigator', { ...navigator, clipboard: { writeText } })
    const w = mount(PathForms, { props: { forms }, global })
    await w.findAll('button')[1]!.trigger('click')
    await flushPromises()
    expect(writeText).toHaveBeenCalledExactlyOnceWith("'/home/mira/Saved Games'")
  })

  it('shows the form to copy by hand where there is no clipboard', async () => {
    vi.stubGlobal('navigator', { ...navigator, clipboard: undefined })
    const prompt = vi.fn()
    vi.stubGlobal('prompt', prompt)
    window.prompt = prompt
    const w = mount(PathForms, { props: { forms }, global })
    await w.findAll('button')[0]!.trigger('click')
    await flushPromises()
    expect(prompt).toHaveBeenCalledExactlyOnceWith('Copy it from here', '%APPDATA%\\Tidewrack')
  })
})
