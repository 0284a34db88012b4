import { describe, expect, it } from 'vitest'

import { pieces } from '../src/location'
import { clock, count, inRun, ownSystem, runClock, shellQuote, size, times } from '../src/words'

describe('words', () => {
  it.each([
    [undefined, '0 B'],
    [0, '0 B'],
    [999, '999 B'],
    [1000, '1.0 kB'],
    [9_949, '9.9 kB'],
    [9_951, '10 kB'],
    [999_499, '999 kB'],
    [999_500, '1.0 MB'],
    [5e12, '5.0 TB'],
  ])('writes %s bytes as %s', (bytes, text) => expect(size(bytes)).toBe(text))

  it.each([
    [0, '0.0 s'],
    [9.94e9, '9.9 s'],
    [21e9, '21 s'],
    [318e9, '5 min 18 s'],
  ])('writes %s nanoseconds as %s', (ns, text) => expect(clock(ns)).toBe(text))

  it('counts', () => {
    expect([0, 1, 2, 3].map(times)).toEqual(['never', 'once', 'twice', '3 times'])
    expect(count(1, 'file', 'files')).toBe('1 file')
    expect(count(12345, 'file', 'files')).toBe('12,345 files')
  })

  it('guesses the system', () => {
    expect(ownSystem('Mozilla/5.0 (Windows NT 10.0; Win64; x64)')).toBe('windows')
    expect(ownSystem('Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15_7)')).toBe('macos')
    expect(ownSystem('Mozilla/5.0 (X11; Linux x86_64)')).toBe('linux')
  })
})

describe('pieces', () => {
  it('sets apart what varies', () => {
    expect(pieces('tw/{account}/slot{slot}-?.*').map((p) => [p.text, p.means !== undefined])).toEqual([
      ['tw/', false],
      ['{account}', true],
      ['/slot', false],
      ['{slot}', true],
      ['-', false],
      ['?', true],
      ['.', false],
      ['*', true],
    ])
  })

  it('takes ** as one', () => expect(pieces('a/**/b').map((p) => p.text)).toEqual(['a/', '**', '/b']))

  it('leaves percent-encoded characters as they are', () =>
    expect(pieces('a%2A/%7Bslot%7D')).toEqual([{ text: 'a%2A/%7Bslot%7D' }]))
})

describe('shellQuote', () => {
  it('lets nothing run that others wrote', () => {
    expect(shellQuote('Tidewrack')).toBe('Tidewrack')
    expect(shellQuote('Lantern Hollow')).toBe("'Lantern Hollow'")
    expect(shellQuote('x"; rm -rf ~ #')).toBe(`'x"; rm -rf ~ #'`)
    expect(shellQuote("It's $(here)")).toBe(`'It'\\''s $(here)'`)
    expect(shellQuote('')).toBe("''")
  })
})

describe('times of several runs', () => {
  const runs = [
    { at: 0, length: 5e9 },
    { at: 5e9, length: 4e9 },
  ]
  it('are on the clock of their own run', () => {
    expect(inRun(6e9, runs)).toEqual({ run: 1, own: 1e9 })
    expect(runClock(6e9, runs)).toBe('1.0 s of run 2')
    expect(runClock(5e9, runs)).toBe('0.0 s of run 2')
    expect(runClock(2e9, [])).toBe('2.0 s')
    expect(runClock(2e9, runs.slice(0, 1))).toBe('2.0 s')
  })
})
