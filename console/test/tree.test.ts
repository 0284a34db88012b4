import { describe, expect, it } from 'vitest'

import { grown, page, type Row, rows, unfoldedKeys } from '../src/pages/workbench/tree'
import { inHex, inLetters, oneLine } from '../src/words'

const leaf = (number: number, path: string, kind: string) => ({ number, path, kind })
const flat = (list: Row[]): Row[] => list.flatMap((r) => [r, ...flat(r.children ?? [])])
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
    const shownRows = flat(rows(grown(files)))
    expect(shownRows.map((r) => r.title)).toContain('slots/')
    expect(shownRows.some((r) => r.leaf?.kind === 'log' || r.leaf?.kind === 'system')).toBe(false)
    expect(
      shownRows
        .filter((r) => r.leaf)
        .map((r) => r.leaf!.number)
        .sort(),
    ).toEqual([0, 5, 6])
    const noisy = flat(rows(grown(files), { open: new Map([['/', true]]), noise: true }))
    expect(noisy.map((r) => r.title)).toContain('usr/lib/deep/down/')
    expect(noisy.some((r) => r.leaf?.number === 4)).toBe(true)
  })

  it('keeps every file reachable when all is open', () => {
    const root = grown(files)
    expect(
      flat(rows(root, { noise: true, all: true }))
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
    expect(flat(rows(root)).length).toBeLessThan(1000)
    expect(flat(rows(root, { noise: true, all: true })).length).toBeLessThan(1000)
  })

  it('shows a large folder page by page, to its last file', () => {
    const root = grown(Array.from({ length: 250 }, (_, i) => leaf(i, `/a/${i}.sav`, 'save')))
    const first = flat(rows(root))
    expect(first.filter((r) => r.leaf)).toHaveLength(page)
    expect(first.at(-1)?.title).toBe(`Show ${page} of ${250 - page} more`)
    expect(first.at(-1)?.more?.folder).toBe('/a/')
    const last = flat(rows(root, { more: new Map([['/a/', 300]]) }))
    expect(last.filter((r) => r.leaf)).toHaveLength(250)
    expect(last.some((r) => r.more)).toBe(false)
  })

  it('draws nothing of a folded folder', () => {
    const list = rows(grown(files), { open: new Map([['xdg-data:tidewrack/slots/', false]]) })
    const folded = flat(list).find((r) => r.key === 'xdg-data:tidewrack/slots/')
    expect(folded?.children).toEqual([])
    expect(unfoldedKeys(list)).not.toContain('xdg-data:tidewrack/slots/')
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
