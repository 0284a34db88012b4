/**
 * The rules of narrowness: which well-formed locations reach too far for a program to trust
 * them, whoever signed them. The tables come from `go run ./conformance/tables`.
 */
import { parse, same, type Location, type Segment } from './location.js'

/** A place that a rule looks up; `at` is a location, or a file's name. */
interface Place {
  at: string
  name?: string
  holds?: string
}

/** What the rules look up: see place.Tables. */
export interface Tables {
  anchors: { name: string; folds: boolean; shared: boolean; windows: boolean }[]
  shared: Record<string, Place[]>
  guarded: Record<string, Place[]>
  guarded_names: Place[]
  alike: Record<string, string[]>
  ways: { outer: string; inner: string }[]
}

/** Why a location is refused: which rule, and what a person is told. */
export interface Refusal {
  rule: 'registry-root' | 'one-title' | 'shared-folder' | 'ambiguous-name' | 'guarded'
  reason: string
}

const deep = (s: Segment) => s[0]!.kind === 'deep'
const literal = (s: Segment) => s.length === 1 && s[0]!.kind === 'literal'
const text = (s: Segment) => s[0]!.text

/** How many letters and digits a text has. */
const letters = (t: string) => [...t].filter((c) => /[\p{L}\p{Nd}]/u.test(c)).length

type Unit = string | typeof one | typeof star
const one = Symbol('any one character')
const star = Symbol('any text')

function units(s: Segment): Unit[] {
  return s.flatMap((p): Unit[] => {
    if (p.kind === 'literal') return [...p.text]
    if (p.kind === 'one') return [one]
    return p.kind === 'named' ? [one, star] : [star]
  })
}

/** Whether some name matches both segments. Case does not count, whatever the anchor. */
function segmentsMeet(s: Segment, t: Segment): boolean {
  const [x, y] = [s[0]!, t[0]!]
  if (
    x.kind === 'literal' &&
    y.kind === 'literal' &&
    /^[\x20-\x7e]/.test(x.text) &&
    /^[\x20-\x7e]/.test(y.text)
  )
    if (x.text[0]!.toLowerCase() !== y.text[0]!.toLowerCase()) return false // most are apart at once
  const [a, b] = [units(s), units(t)]
  // row[j]: whether what is left of a, and b from j on, have a text in common
  let row = new Array<boolean>(b.length + 1).fill(false)
  row[b.length] = true
  const stars = () => {
    for (let j = b.length - 1; j >= 0; j--) if (b[j] === star && row[j + 1]) row[j] = true
  }
  stars()
  for (let i = a.length - 1; i >= 0; i--) {
    const before = row
    row = new Array<boolean>(b.length + 1).fill(false)
    for (let j = b.length; j >= 0; j--) {
      const [x, y] = [a[i]!, b[j]]
      if (x === star) row[j] = before[j]! || (j < b.length && row[j + 1]!)
      else if (y === star) row[j] = before[j]! || row[j + 1]!
      else if (j < b.length)
        row[j] = before[j + 1]! && (x === one || y === one || same(x as string, y as string, true))
    }
  }
  return row[0]!
}

/** A pattern with a slash at its end covers at least one name below it. */
const tail = (segments: Segment[], folder: boolean): Segment[] =>
  folder ? [...segments, [{ kind: 'any', text: '' }], [{ kind: 'deep', text: '' }]] : segments

/** Whether some path matches both lists of segments. */
function meet(a: Segment[], b: Segment[]): boolean {
  const seen = new Set<string>()
  const walk = (i: number, j: number): boolean => {
    const at = `${i} ${j}`
    if (seen.has(at)) return false
    seen.add(at)
    const [aDeep, bDeep] = [i < a.length && deep(a[i]!), j < b.length && deep(b[j]!)]
    if (i === a.length && j === b.length) return true
    if ((aDeep && walk(i + 1, j)) || (bDeep && walk(i, j + 1))) return true
    if (i === a.length || j === b.length || (aDeep && bDeep)) return false
    if (aDeep) return walk(i, j + 1)
    if (bDeep) return walk(i + 1, j)
    return segmentsMeet(a[i]!, b[j]!) && walk(i + 1, j + 1)
  }
  return walk(0, 0)
}

/** A folder of the tables; one without a name is the anchor's own. */
const folderOf = (at: string): Location =>
  at.endsWith(':') ? { anchor: at.slice(0, -1), segments: [], folder: true } : parse(at)

/** Makes the check from the tables: what it returns is undefined for a narrow location. */
export function narrowness(tables: Tables): (l: Location) => Refusal | undefined {
  const anchors = new Map(tables.anchors.map((a) => [a.name, a]))
  const folders = (lists: Record<string, Place[]>) =>
    new Map(
      Object.entries(lists).map(([anchor, list]) => [
        anchor,
        list.map((p) => ({
          ...p,
          segments: folderOf(p.at).segments,
          name: p.name ?? p.at.replace(/\/$/, ''),
        })),
      ]),
    )
  const shared = folders(tables.shared)
  const guarded = folders(tables.guarded)
  const alike = new Map(Object.entries(tables.alike).map(([a, list]) => [a, list.map(folderOf)]))
  const ways = tables.ways.map((w) => ({ outer: folderOf(w.outer), inner: w.inner }))
  const names = tables.guarded_names.map((n) => ({
    ...n,
    segment: [{ kind: 'literal', text: n.at }] satisfies Segment,
  }))
  const users: Segment = [{ kind: 'literal', text: 'users' }]

  const all = (name: string) => `it would cover all of ${name}; name a folder or a file in it`

  /** Which positions in a pattern can be reached by walking down a folder. */
  const reached = (segments: Segment[], folder: Segment[]): Set<number> => {
    const close = (at: Set<number>) => {
      for (const [i, s] of segments.entries()) if (at.has(i) && deep(s)) at.add(i + 1)
      return at
    }
    let now = close(new Set([0]))
    for (const f of folder) {
      const next = new Set<number>()
      for (const [i, s] of segments.entries()) {
        if (!now.has(i)) continue
        if (deep(s)) next.add(i)
        else if (segmentsMeet(s, f)) next.add(i + 1)
      }
      now = close(next)
    }
    return now
  }

  /** Below a folder of many titles, what stands behind it has to single one out. */
  const below = (l: Location, folder: Segment[], name: string): Refusal | undefined => {
    for (const at of reached(l.segments, folder)) {
      const s = l.segments[at]
      if (!s) return { rule: 'shared-folder', reason: all(name) }
      if (literal(s)) continue
      const whoever =
        !deep(s) && at === 1 && l.anchor === 'prefix-drive' && segmentsMeet(l.segments[0]!, users)
      if (whoever) continue // the rule for the folder of the user decides on what follows
      if (s[0]!.kind !== 'literal' || letters(text(s)) < 3)
        return {
          rule: 'shared-folder',
          reason: `it can match what other programs keep in ${name}; begin with at least three letters of a name`,
        }
    }
    return undefined
  }

  const inShared = (l: Location): Refusal | undefined => {
    if (anchors.get(l.anchor)!.shared) {
      const own = below(l, [], l.anchor)
      if (own) return own
      for (const p of shared.get(l.anchor) ?? []) {
        const found = below(l, p.segments, p.name)
        if (found) return found
      }
      return undefined
    }
    const singled = l.segments.some(
      (s) =>
        literal(s) ||
        s.reduce((n, p) => n + (p.kind === 'literal' ? letters(p.text) : 0), 0) >= 2 ||
        (l.anchor === 'account-data' && s.length === 1 && s[0]!.kind === 'named' && text(s) === 'ref'),
    )
    return singled ? undefined : { rule: 'one-title', reason: all(l.anchor) }
  }

  /** Names that a system takes for others. */
  const ambiguous = (l: Location): Refusal | undefined => {
    const refusal = (reason: string): Refusal => ({ rule: 'ambiguous-name', reason })
    const onWindows = anchors.get(l.anchor)!.windows && l.anchor !== 'registry'
    for (const s of l.segments)
      for (const [i, p] of s.entries()) {
        if (p.kind !== 'literal') continue
        const invisible =
          /[\p{Cf}\p{Cc}\p{Co}\p{Zl}\p{Zp}\p{Default_Ignorable_Code_Point}\p{Variation_Selector}]/u
        if (p.text.normalize('NFC') !== p.text || invisible.test(p.text))
          return refusal(`${p.text} has a character that does not show, or is not composed (NFC)`)
        if (!onWindows) continue
        if (/[:\\]/.test(p.text) || (i === s.length - 1 && /[. ]$/.test(p.text)))
          return refusal(`Windows reads ${p.text} as another name`)
        if (literal(s) && /^[^.~]{1,6}~[0-9]{1,6}(\.[^.]{0,3})?$/u.test(p.text))
          return refusal(`${p.text} is a short (8.3) name`)
      }
    return undefined
  }

  /** A location as it stands below a folder that lies on its way. */
  const under = (l: Location, outer: Location, inner: string): Location | undefined => {
    const n = outer.segments.length
    if (l.anchor !== outer.anchor || l.segments.length <= n) return undefined
    if (!outer.segments.every((s, i) => !deep(l.segments[i]!) && segmentsMeet(l.segments[i]!, s)))
      return undefined
    return { anchor: inner, segments: l.segments.slice(n), folder: l.folder }
  }

  /** Whether a pattern begins with a name that stands in homes alone. */
  const startsInHome = (l: Location): boolean => {
    const first = l.segments[0]![0]!
    if (first.kind !== 'literal') return false
    const name = first.text.toLowerCase()
    const next = l.segments[1]
    return name.startsWith('.') || name === 'appdata' || (name === 'library' && !!next && literal(next))
  }

  /** The places that a location can turn out to be. */
  const possible = (l: Location): Location[] => {
    const found = (alike.get(l.anchor) ?? []).map((f) => ({
      anchor: f.anchor,
      segments: [...f.segments, ...l.segments],
      folder: l.folder,
    }))
    const within = [l]
    if (l.anchor !== 'home' && l.anchor !== 'registry' && startsInHome(l)) {
      const home = { ...l, anchor: 'home' }
      found.push(home)
      within.push(home)
    }
    for (let i = 0; i < within.length && i < 64; i++) {
      if (!['home', 'prefix-drive'].includes(within[i]!.anchor)) continue
      for (const w of ways) {
        const place = under(within[i]!, w.outer, w.inner)
        if (place) {
          found.push(place)
          within.push(place)
        }
      }
    }
    return found
  }

  const inGuarded = (l: Location): Refusal | undefined => {
    for (const x of possible(l)) {
      const own = tail(x.segments, x.folder)
      for (const g of guarded.get(x.anchor) ?? [])
        if (meet(own, tail(g.segments, true)) || meet(own, g.segments))
          return { rule: 'guarded', reason: `it can match in ${g.name}, which is guarded: ${g.holds}` }
    }
    const last = l.segments.at(-1)!
    if (deep(last) || last[0]!.kind !== 'literal' || letters(text(last)) < 2) return undefined
    const named = names.find((n) => segmentsMeet(last, n.segment))
    return named && { rule: 'guarded', reason: `it can match ${named.at}, which is guarded: ${named.holds}` }
  }

  return (l) => {
    if (l.anchor === 'registry') {
      const first = l.segments[0]!
      if (!literal(first) || !/^HKEY_(CURRENT_USER|LOCAL_MACHINE)$/i.test(text(first)))
        return {
          rule: 'registry-root',
          reason: 'a registry location begins with HKEY_CURRENT_USER or HKEY_LOCAL_MACHINE',
        }
    }
    return inShared(l) ?? ambiguous(l) ?? inGuarded(l)
  }
}
