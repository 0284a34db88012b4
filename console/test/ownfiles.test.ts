import { describe, expect, it } from 'vitest'

import { ways, type Step } from '../src/pages/titles/ownfiles'

const location = (at: string, holds: string, more = {}) => ({
  at,
  holds,
  anchor: at.split(':')[0],
  usable: true,
  forms: [],
  ...more,
})
const variant = (...locations: object[]) =>
  ({ launcher: 'quayside', store: 'quayside', os: 'linux', locations }) as unknown as Parameters<
    typeof ways
  >[1]
const texts = (steps: Step[]) => steps.map((s) => s.command ?? s.at ?? s.text)

const both = variant(
  location('xdg-data:tidewrack/slots/', 'save'),
  location('xdg-config:tidewrack/settings.ini', 'config'),
)

describe('how people copy a title’s files', () => {
  it('names both places, and the commands', () => {
    const [copy, back, fresh] = ways("Keeper's Tale", both, { launchers: [], known: false })
    expect(copy!.endroit[0]!.command).toBe("endroit copy 'Keeper'\\''s Tale'")
    expect(texts(copy!.hand)).toContain('xdg-data:tidewrack/slots/')
    expect(texts(copy!.hand)).toContain('xdg-config:tidewrack/settings.ini')
    expect(texts(back!.hand)[1]).toMatch(/first/)
    expect(texts(fresh!.hand)).not.toContain('xdg-config:tidewrack/settings.ini')
  })

  it('begins with the switch of the launcher’s cloud', () => {
    const [copy, back, fresh] = ways('Tidewrack', both, {
      launchers: ['Quayside', 'Brasslight'],
      known: true,
    })
    expect(copy!.hand.some((s) => /cloud/.test(s.text))).toBe(false)
    for (const w of [back!, fresh!]) {
      const steps = texts(w.hand)
      const cloud = steps.findIndex((s) => /^In Quayside and Brasslight, switch cloud copies off/.test(s))
      expect(cloud).toBeGreaterThanOrEqual(0)
      expect(cloud).toBeLessThan(steps.indexOf('xdg-data:tidewrack/slots/'))
      expect(steps.at(-1)).toMatch(/switch cloud copies on again/)
    }
    expect(ways('Tidewrack', both, { launchers: ['Quayside'], known: false })[1]!.hand[1]!.text).toMatch(
      /It may keep them, which is not known/,
    )
  })

  it('uses nothing that is disputed or withdrawn', () => {
    expect(
      ways('Tidewrack', variant(location('xdg-data:tidewrack/', 'save', { usable: false })), {
        launchers: ['Quayside', 'Brasslight'],
        known: true,
      }),
    ).toEqual([])
    expect(
      ways('Tidewrack', variant(location('xdg-config:tidewrack.ini', 'config')), {
        launchers: ['Quayside', 'Brasslight'],
        known: true,
      }),
    ).toHaveLength(2)
  })

  it('says how a registry key is copied by hand', () => {
    const key = 'registry:HKEY_CURRENT_USER/Software/Tidewrack/'
    const [copy, back, fresh] = ways('Tidewrack', variant(location(key, 'save')), {
      launchers: [],
      known: false,
    })
    const step = (steps: Step[]) => steps.find((s) => s.at === key)!.text
    expect(step(copy!.hand)).toBe('In the registry editor, export this key with all below it (progress):')
    expect(step(back!.hand)).toMatch(/delete this key, then import/)
    expect(step(fresh!.hand)).toMatch(/export this key with all below it, then delete it/)
  })
})
