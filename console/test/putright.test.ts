import { describe, expect, it } from 'vitest'

import { body, newKey, type Change, type Kind } from '../src/pages/titles/putright'

const title = { id: '0123456789abcdef', name: 'Tidewrack' } as Parameters<typeof body>[0]
const place = {
  variant: { store: 'quayside', ref: '418820', launcher: '', os: 'linux', runtime: 'native' },
  at: 'xdg-data:tidewrack/',
  holds: 'save',
} as const
const head = { title_id: title.id, title: 'Tidewrack', because: 'as it says' }
const typed = (kind: Kind, text = '', more = ''): Change => ({ kind, text, more, because: ' as it says ' })

describe('what is sent to put something right', () => {
  it.each([
    [typed('add-name', ' Gezeitenwrack ', 'de'), { add_name: { name: 'Gezeitenwrack', language: 'de' } }],
    [typed('add-name', 'TW'), { add_name: { name: 'TW' } }],
    [typed('rename', 'Tide Wrack'), { rename: { name: 'Tide Wrack', keep: true } }],
    [typed('describe', '', '2019'), { describe: { year: 2019 } }],
    [typed('describe', 'Harrow Lane'), { describe: { maker: 'Harrow Lane' } }],
  ])('of a title: %o', (change, want) =>
    expect(body(title, change)).toEqual({ kind: 'title', ...head, ...want }),
  )

  it.each([
    [typed('replace', 'xdg-data:tidewrack/*.sav'), { to: 'xdg-data:tidewrack/*.sav' }],
    [typed('versions', '', '1.9'), { versions: { to: '1.9' } }],
    [typed('versions', '1.2', '1.9'), { versions: { from: '1.2', to: '1.9' } }],
    [typed('withdraw'), { withdraw: true }],
  ])('of a location: %o', (change, want) =>
    expect(body(title, change, place)).toEqual({ kind: 'location', ...head, location: place, ...want }),
  )

  it('needs a location where it changes one', () =>
    expect(() => body(title, typed('withdraw'))).toThrow('choose a location'))

  it('has a key of its own', () => {
    expect(newKey()).toMatch(/^[0-9a-f]{32}$/)
    expect(newKey()).not.toBe(newKey())
  })
})
