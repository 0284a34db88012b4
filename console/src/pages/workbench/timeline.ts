/** A stretch of a run, in nanoseconds since its start. */
export interface Span {
  from: number
  to: number
}

/** From, to, how many times: as a footprint has them. */
export type Stroke = number[]

/** The least that is shown at once: a hundredth of a millisecond. */
const least = 10_000

/** Brings a span into the whole and keeps its width where it can. */
function within(span: Span, whole: Span): Span {
  const width = Math.min(Math.max(span.to - span.from, least), whole.to - whole.from)
  const from = Math.min(Math.max(span.from, whole.from), whole.to - width)
  return { from, to: from + width }
}

/** Shows a factor of what is shown, with the moment at staying where it is. */
export function zoomed(span: Span, whole: Span, factor: number, at: number): Span {
  const width = Math.max((span.to - span.from) * factor, least)
  const share = (at - span.from) / (span.to - span.from)
  return within({ from: at - share * width, to: at + (1 - share) * width }, whole)
}

/** Moves what is shown by a share of its width. */
export function panned(span: Span, whole: Span, by: number): Span {
  const step = (span.to - span.from) * by
  return within({ from: span.from + step, to: span.to + step }, whole)
}

/** The span between two places of a lane so many pixels wide. */
export function dragged(span: Span, whole: Span, a: number, b: number, width: number): Span {
  const time = (x: number) => span.from + (Math.max(0, Math.min(x, width)) / width) * (span.to - span.from)
  return within({ from: time(Math.min(a, b)), to: time(Math.max(a, b)) }, whole)
}

export const position = (t: number, span: Span, width: number) =>
  ((t - span.from) / (span.to - span.from)) * width

/** Something drawn: left and right in pixels, and how many uses it stands for. */
export interface Mark {
  left: number
  right: number
  uses: number
}

/** What of the strokes is seen, at least two pixels wide; those that would touch are one. */
export function marks(strokes: Stroke[] | undefined, span: Span, width: number): Mark[] {
  const out: Mark[] = []
  for (const [from, to, uses] of strokes ?? []) {
    if (to! < span.from || from! > span.to) continue
    const left = Math.max(0, position(from!, span, width))
    const right = Math.min(width, Math.max(position(to!, span, width), left + 2))
    const last = out[out.length - 1]
    if (last && left <= last.right + 0.5) {
      last.right = Math.max(last.right, right)
      last.uses += uses!
    } else out.push({ left, right, uses: uses! })
  }
  return out
}

const steps = [1, 2, 5]

/** Round moments, so many pixels apart or more. */
export function ticks(span: Span, width: number, apart = 90): number[] {
  const want = ((span.to - span.from) / Math.max(width, 1)) * apart
  let step = 1000
  for (let n = 0; step < want; n++) step = steps[n % 3]! * 10 ** (3 + Math.floor(n / 3))
  // Above a minute, minutes are round.
  if (step > 20e9) step = [30e9, 60e9, 120e9, 300e9, 600e9, 1800e9, 3600e9].find((s) => s >= want) ?? want
  const out = []
  for (let t = Math.ceil(span.from / step) * step; t <= span.to; t += step) out.push(t)
  return out
}

/** Writes a moment on the axis, as exactly as the ticks are apart. */
export function tickText(t: number, step: number): string {
  const s = t / 1e9
  if (step >= 30e9) return `${Math.floor(s / 60)}:${String(Math.round(s % 60)).padStart(2, '0')}`
  const digits = Math.max(0, Math.min(5, Math.ceil(-Math.log10(step / 1e9))))
  return `${s.toFixed(digits)} s`
}

/** How many rows of cues are named; those beyond are lines with a title. */
export const rowsOfCues = 4

/** Puts cues, which come in order of time, into rows so that no name stands on another. */
export function placed<C extends { x: number; cue: string }>(
  cues: C[],
  width: number,
): (C & { row: number; late: boolean })[] {
  const ends: number[] = []
  return cues.map((c) => {
    const wide = c.cue.length * 7 + 14
    const late = c.x + wide > width // near the right edge it stands before its moment
    const [from, to] = late ? [c.x - wide, c.x] : [c.x, c.x + wide]
    let row = ends.findIndex((end) => end <= from)
    if (row < 0) row = ends.length
    ends[row] = Math.max(ends[row] ?? 0, to)
    return { ...c, row, late }
  })
}

/** The shortest ends of paths that tell them apart. */
export function names(paths: string[]): string[] {
  const end = (path: string, parts: number) => path.split('/').filter(Boolean).slice(-parts).join('/')
  const out = paths.map((p) => end(p, 1))
  for (let parts = 2; parts < 8; parts++) {
    const seen = new Map<string, number>()
    for (const n of out) seen.set(n, (seen.get(n) ?? 0) + 1)
    paths.forEach((p, i) => {
      if ((seen.get(out[i]!) ?? 0) > 1) out[i] = end(p, parts)
    })
  }
  return out
}
