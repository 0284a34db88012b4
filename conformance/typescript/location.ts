/**
 * What a location means: reading, writing and matching it, as docs/locations.md says. It has
 * no dependencies, and runs in browsers and under Node.
 */

/** A piece of a segment. `text` is the decoded literal, or the name of a named part. */
export interface Part {
  kind: 'literal' | 'any' | 'one' | 'named' | 'deep'
  text: string
}

export type Segment = Part[]

/** A location: an anchor, and a pattern below it. `folder` is a trailing slash. */
export interface Location {
  anchor: string
  segments: Segment[]
  folder: boolean
}

export type Captures = Record<string, string>

/** The anchors, and whether names below them compare without regard to case on every host. */
export const anchors: Record<string, { folds: boolean }> = {
  install: { folds: false },
  'account-data': { folds: false },
  'xdg-data': { folds: false },
  'xdg-config': { folds: false },
  'xdg-state': { folds: false },
  'xdg-cache': { folds: false },
  'saved-games': { folds: true },
  'roaming-app-data': { folds: true },
  'local-low-app-data': { folds: true },
  'local-app-data': { folds: true },
  'public-documents': { folds: true },
  'program-data': { folds: true },
  'mac-containers': { folds: false },
  'mac-application-support': { folds: false },
  'mac-preferences': { folds: false },
  'var-games': { folds: false },
  documents: { folds: false },
  home: { folds: false },
  'prefix-drive': { folds: true },
  registry: { folds: true },
}

const names = ['account', 'slot', 'profile', 'user', 'host', 'ref']
const maxLength = 1024 // bytes
const maxSegments = 32
const maxDeep = 2

/** A byte that is not UTF-8 is held as a lone surrogate: 0xDC00 and the byte. */
const badByte = 0xdc00

const utf8 = new TextEncoder()
const strict = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true })

/** Reads a location. It throws an Error that says what is wrong. */
export function parse(text: string): Location {
  if (utf8.encode(text).length > maxLength) throw new Error(`more than ${maxLength} bytes`)
  const colon = text.indexOf(':')
  if (colon < 0) throw new Error('no colon')
  const anchor = text.slice(0, colon)
  if (!Object.hasOwn(anchors, anchor)) throw new Error(`no anchor ${anchor}`)
  let pattern = text.slice(colon + 1)
  if (pattern === '') throw new Error('the pattern is empty')
  if (pattern.startsWith('/')) throw new Error('the pattern begins with a slash')
  const folder = pattern.endsWith('/')
  if (folder) pattern = pattern.slice(0, -1)
  const segments = pattern.split('/').map(parseSegment)
  const deep = (s: Segment | undefined) => s?.[0]?.kind === 'deep'
  if (segments.length > maxSegments) throw new Error(`more than ${maxSegments} segments`)
  if (segments.filter(deep).length > maxDeep) throw new Error(`more than ${maxDeep} times **`)
  if (segments.some((s, i) => deep(s) && deep(segments[i + 1]))) throw new Error('two ** in a row')
  if (deep(segments.at(-1))) throw new Error('the pattern ends in **')
  const location = { anchor, segments, folder }
  if (print(location) !== text) throw new Error(`write it as ${print(location)}`)
  return location
}

function parseSegment(raw: string): Segment {
  if (raw === '') throw new Error('an empty segment')
  if (raw === '**') return [{ kind: 'deep', text: '' }]
  const segment: Segment = []
  let bytes: number[] = []
  const flush = () => {
    if (bytes.length) segment.push({ kind: 'literal', text: decode(bytes) })
    bytes = []
  }
  const variable = () => !bytes.length && ['any', 'named'].includes(segment.at(-1)?.kind ?? '')
  for (let i = 0; i < raw.length;) {
    const c = String.fromCodePoint(raw.codePointAt(i)!)
    if (c === '*' || c === '{') {
      if (variable()) throw new Error('two variable parts without text between them')
      flush()
      if (c === '*') {
        segment.push({ kind: 'any', text: '' })
        i++
        continue
      }
      const end = raw.indexOf('}', i)
      if (end < 0) throw new Error('{ without }')
      const name = raw.slice(i + 1, end)
      if (!names.includes(name)) throw new Error(`no named part {${name}}`)
      if (segment.some((p) => p.kind === 'named' && p.text === name))
        throw new Error(`{${name}} twice in one segment`)
      segment.push({ kind: 'named', text: name })
      i = end + 1
    } else if (c === '}') {
      throw new Error('} without {')
    } else if (c === '?') {
      flush()
      segment.push({ kind: 'one', text: '' })
      i++
    } else if (c === '\\') {
      throw new Error('a backslash')
    } else if (c === '%') {
      const hex = raw.slice(i + 1, i + 3)
      if (!/^[0-9A-F]{2}$/.test(hex)) throw new Error('% without two uppercase hexadecimal digits')
      if (hex === '00') throw new Error('a name cannot contain NUL')
      bytes.push(parseInt(hex, 16))
      i += 3
    } else {
      bytes.push(...utf8.encode(c))
      i += c.length
    }
  }
  flush()
  const [only] = segment
  if (segment.length === 1 && only!.kind === 'literal' && (only!.text === '.' || only!.text === '..'))
    throw new Error(`${only!.text} is not allowed in a path`)
  return segment
}

/** Reads bytes as UTF-8; each that is none becomes a lone surrogate. */
function decode(bytes: number[]): string {
  let out = ''
  for (let i = 0; i < bytes.length;) {
    let n = 1
    for (; n <= 4 && i + n <= bytes.length; n++) {
      try {
        const c = strict.decode(Uint8Array.from(bytes.slice(i, i + n)))
        if ([...c].length === 1) {
          out += c
          break
        }
      } catch {
        // perhaps with one byte more
      }
    }
    if (n > 4 || i + n > bytes.length) {
      out += String.fromCharCode(badByte + bytes[i]!)
      n = 1
    }
    i += n
  }
  return out
}

const isBad = (c: string) => c.length === 1 && c.charCodeAt(0) >= badByte && c.charCodeAt(0) < badByte + 256

/** Characters that are always percent-encoded. */
function special(c: string): boolean {
  if (isBad(c)) return true
  if (c < '\u0080') return c < ' ' || c === '\u007f' || '%*?{}/\\'.includes(c)
  return !/[\p{L}\p{M}\p{N}\p{P}\p{S}\p{Zs}]/u.test(c) || /\p{Cf}/u.test(c) || /\p{White_Space}/u.test(c)
}

function encode(text: string, first: boolean, last: boolean): string {
  const all = [...text]
  return all
    .map((c, i) => {
      const edge = c === ' ' && ((first && i === 0) || (last && i === all.length - 1))
      if (!special(c) && !edge) return c
      const bytes = isBad(c) ? [c.charCodeAt(0) - badByte] : [...utf8.encode(c)]
      return bytes.map((b) => '%' + b.toString(16).toUpperCase().padStart(2, '0')).join('')
    })
    .join('')
}

/** Writes one part of a segment in its one spelling. */
export function printPart(segment: Segment, i: number): string {
  const p = segment[i]!
  switch (p.kind) {
    case 'literal':
      return encode(p.text, i === 0, i === segment.length - 1)
    case 'any':
      return '*'
    case 'one':
      return '?'
    case 'deep':
      return '**'
    case 'named':
      return `{${p.text}}`
  }
}

/** Writes a segment in its one spelling. */
export const printSegment = (segment: Segment) => segment.map((_, i) => printPart(segment, i)).join('')

/** Writes a location in its one spelling: the inverse of parse. */
export function print(l: Location): string {
  return `${l.anchor}:${l.segments.map(printSegment).join('/')}${l.folder ? '/' : ''}`
}

const folded = new Map<string, boolean>()

/** Whether two characters are the same, also in another case (Unicode's simple folding). */
export function same(a: string, b: string, folds: boolean): boolean {
  if (a === b) return true
  if (!folds || isBad(a) || isBad(b)) return false
  const key = a + b
  let known = folded.get(key)
  if (known === undefined) {
    known = new RegExp(`^\\u{${a.codePointAt(0)!.toString(16)}}$`, 'iu').test(b)
    folded.set(key, known)
  }
  return known
}

const sameText = (a: string[], b: string[], folds: boolean) =>
  a.length === b.length && a.every((c, i) => same(c, b[i]!, folds))

/**
 * What the named parts of a location are for a file, whose names below the anchor are given;
 * undefined if the location does not cover it. `known` fixes parts whose text is known.
 */
export function match(l: Location, file: string[], known: Captures = {}): Captures | undefined {
  const folds = anchors[l.anchor]!.folds
  if (l.anchor === 'registry' && l.folder) {
    // a key is there by itself, as a file is
    const key = rest(l.segments, false, file, known, folds)
    if (key) return key
  }
  return rest(l.segments, l.folder, file, known, folds)
}

function rest(
  segments: Segment[],
  folder: boolean,
  file: string[],
  captures: Captures,
  folds: boolean,
): Captures | undefined {
  for (const [i, s] of segments.entries()) {
    if (s[0]!.kind === 'deep') {
      for (let skip = 0; skip <= file.length; skip++) {
        const found = rest(segments.slice(i + 1), folder, file.slice(skip), captures, folds)
        if (found) return found
      }
      return undefined
    }
    if (!file.length) return undefined
    const found = matchSegment(s, file[0]!, captures, folds)
    if (!found) return undefined
    captures = found
    file = file.slice(1)
  }
  return folder === file.length > 0 ? captures : undefined
}

/** Matches one name: parts take the shortest text that lets all of it match. */
function matchSegment(s: Segment, name: string, before: Captures, folds: boolean): Captures | undefined {
  const text = [...name]
  const failed = new Set<string>()
  const from = (i: number, at: number, captures: Captures): Captures | undefined => {
    if (i === s.length) return at === text.length ? captures : undefined
    const state = `${i} ${at}`
    if (failed.has(state)) return undefined
    const p = s[i]!
    let found: Captures | undefined
    if (p.kind === 'literal') {
      const block = [...p.text]
      if (sameText(block, text.slice(at, at + block.length), folds))
        found = from(i + 1, at + block.length, captures)
    } else if (p.kind === 'one') {
      if (at < text.length) found = from(i + 1, at + 1, captures)
    } else {
      for (let end = at + (p.kind === 'named' ? 1 : 0); !found && end <= text.length; end++) {
        const value = text.slice(at, end)
        const old = before[p.text]
        if (p.kind === 'named' && old !== undefined && !sameText([...old], value, folds)) continue
        const next =
          p.kind === 'named' && old === undefined ? { ...captures, [p.text]: value.join('') } : captures
        found = from(i + 1, end, next)
      }
    }
    if (!found) failed.add(state)
    return found
  }
  return from(0, 0, before)
}

/** The files below the anchors of a machine that a location covers, with its captures. */
export function resolve(l: Location, roots: Record<string, string>, files: string[], known: Captures = {}) {
  const top = roots[l.anchor]
  if (!top) return []
  const folds = anchors[l.anchor]!.folds
  return files.flatMap((path) => {
    const parts = [...path]
    const root = [...top, '/']
    if (!sameText(root, parts.slice(0, root.length), folds)) return []
    const captures = match(l, parts.slice(root.length).join('').split('/'), known)
    return captures ? [{ path, captures }] : []
  })
}
