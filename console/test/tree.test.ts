import { describe, expect, it } from 'vitest'

import { grown, rows } from '../src/pages/workbench/tree'
import { inHex, inLetters, oneLine } from '../src/words'

const leaf = (number: number, path: string, kind: string) => ({ number, path, kind })
const files = [
  leaf(0, 'xdg-data:tidewrack/slots/slot1.sav', 'save'),
  leaf(1, 'xdg-data:tidewrack/run.log', 'log'),
  leaf(2, '/usr/lib/deep/down/libwave.so', 'system'),
  leaf(3, '/etc/hosts', 'system'),
  leaf(4, '/top', 'unknown'),
  leaf(5, 'registry:HKEY_CURRENT_USER/Software/Tidewrack', 'config'),
  leaf(6, 'home:.scores', 'save'),
]

describe('the tree', () => {
  it('counts by kind, all the way up', () => {
    const root = grown(files)
    expect(root.total).toBe(files.length)
    expect(root.kinds).toEqual({ save: 2, log: 1, system: 2, unknown: 1, config: 1 })
    expect(root.wanted).toBe(3)
  })

  it('folds noise away, and draws lone folders together', () => {
    const shownRows = rows(grown(files), new Map(), false)
    expect(shownRows.map((r) => r.name)).toContain('slots/')
    expect(shownRows.some((r) => r.leaf?.kind === 'log' || r.leaf?.kind === 'system')).toBe(false)
    expect(
      shownRows
        .filter((r) => r.leaf)
        .map((r) => r.leaf!.number)
        .sort(),
    ).toEqual([0, 5, 6])
    const noisy = rows(grown(files), new Map([['/', true]]), true)
    expect(noisy.map((r) => r.name)).toContain('usr/lib/deep/down/')
    expect(noisy.some((r) => r.leaf?.number === 4)).toBe(true)
  })

  it('keeps every file reachable when all is open', () => {
    const root = grown(files)
    expect(
      rows(root, new Map(), true, true)
        .filter((r) => r.leaf)
        .map((r) => r.leaf!.number)
        .sort(),
    ).toEqual([0, 1, 2, 3, 4, 5, 6])
  })

  it('takes twenty thousand files at once', () => {
    const many = Array.from({ length: 20_000 }, (_, i) =>
      leaf(i, `/a/b${i % 300}/c${i}`, i % 50 ? 'asset' : 'save'),
    )
    const root = grown(many)
    expect(root.total).toBe(20_000)
    expect(rows(root, new Map(), false).length).toBeLessThan(1000)
  })
})

describe('words', () => {
  it('escapes what does not show as itself', () => {
    expect(oneLine('a\u202Eb\u0007\u2028.sav')).toBe('a\\u202Eb\\u0007\\u2028.sav')
    expect(oneLine('späte Wörter')).toBe('späte Wörter')
  })

  it('writes bytes', () => {
    const row = new Uint8Array([0x54, 0x57, 0, 255])
    expect(inHex(row)).toBe('54 57 00 ff')
    expect(inLetters(row)).toBe('TW..')
  })
})
