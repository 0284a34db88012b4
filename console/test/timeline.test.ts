import { describe, expect, it } from 'vitest'

import {
  dragged,
  marks,
  panned,
  position,
  ticks,
  tickText,
  zoomed,
  names,
  placed,
} from '../src/pages/workbench/timeline'

const whole = { from: 0, to: 100e9 }

describe('zooming', () => {
  it('keeps the moment under the pointer where it is', () => {
    const span = { from: 20e9, to: 60e9 }
    const near = zoomed(span, whole, 0.5, 30e9)
    expect(near.to - near.from).toBe(20e9)
    expect(position(30e9, near, 800)).toBeCloseTo(position(30e9, span, 800))
  })

  it('never leaves the run, and never shows nothing', () => {
    expect(zoomed(whole, whole, 4, 50e9)).toEqual(whole)
    expect(panned({ from: 80e9, to: 100e9 }, whole, 0.5)).toEqual({ from: 80e9, to: 100e9 })
    expect(panned({ from: 0, to: 20e9 }, whole, -0.5)).toEqual({ from: 0, to: 20e9 })
    let span = whole
    for (let i = 0; i < 100; i++) span = zoomed(span, whole, 0.5, 99.9e9)
    expect(span.to - span.from).toBeGreaterThan(0)
    expect(span.to).toBeLessThanOrEqual(whole.to)
  })

  it('shows what was dragged over, in either direction', () => {
    expect(dragged(whole, whole, 200, 400, 1000)).toEqual({ from: 20e9, to: 40e9 })
    expect(dragged(whole, whole, 400, 200, 1000)).toEqual({ from: 20e9, to: 40e9 })
    expect(dragged(whole, whole, -50, 5000, 1000)).toEqual(whole)
  })
})

describe('marks', () => {
  it('leaves out what is not in sight and joins what would touch', () => {
    const strokes = [
      [1e9, 1e9, 1],
      [50e9, 50e9, 2],
      [50.05e9, 50.05e9, 3],
      [70e9, 80e9, 4],
    ]
    const near = marks(strokes, { from: 40e9, to: 60e9 }, 100)
    expect(near).toHaveLength(1)
    expect(near[0]!.right).toBeCloseTo(52.25)
    expect(near[0]!.uses).toBe(5)
    const all = marks(strokes, whole, 100)
    expect(all.map((m) => m.uses)).toEqual([1, 5, 4])
    expect(all[2]).toEqual({ left: 70, right: 80, uses: 4 })
    expect(marks(undefined, whole, 100)).toEqual([])
  })

  it('draws a long run with no more marks than there are pixels', () => {
    const strokes = Array.from({ length: 5000 }, (_, i) => [i * 20e6, i * 20e6, 1])
    const drawn = marks(strokes, whole, 600)
    expect(drawn.length).toBeLessThanOrEqual(300)
    expect(drawn.reduce((n, m) => n + m.uses, 0)).toBe(5000)
  })
})

describe('the axis', () => {
  it('has round moments that stand apart', () => {
    for (const length of [1e5, 3e6, 2e9, 47e9, 1200e9, 7200e9]) {
      const list = ticks({ from: 0, to: length }, 900)
      expect(list.length).toBeGreaterThan(1)
      expect(list.length).toBeLessThanOrEqual(11)
    }
  })

  it('writes them as exactly as they are apart', () => {
    expect(tickText(1.5e9, 5e8)).toBe('1.5 s')
    expect(tickText(2e9, 1e9)).toBe('2 s')
    expect(tickText(90e9, 30e9)).toBe('1:30')
    expect(tickText(1.25e6, 5e4)).toBe('0.00125 s')
  })
})

describe('cues and lanes', () => {
  it('puts names of cues that would collide into rows', () => {
    const rows = placed(
      [
        { x: 0, cue: 'ready' },
        { x: 10, cue: 'loaded' },
        { x: 20, cue: 'saved' },
        { x: 200, cue: 'saved' },
        { x: 595, cue: 'quit' },
      ],
      600,
    )
    expect(rows.map((r) => r.row)).toEqual([0, 1, 2, 0, 0])
    expect(rows.map((r) => r.late)).toEqual([false, false, false, false, true])
  })

  it('tells files of one name apart by their folders', () => {
    expect(names(['a:x/one/s.sav', 'a:x/two/s.sav', 'a:x/t.sav'])).toEqual([
      'one/s.sav',
      'two/s.sav',
      't.sav',
    ])
    expect(names(['same', 'same'])).toEqual(['same', 'same'])
  })
})
