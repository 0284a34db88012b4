/** Writes a number of bytes for people, in powers of 1000 as file managers do. */
export function size(bytes: number | undefined): string {
  if (bytes === undefined) return '0 B'
  const units = ['B', 'kB', 'MB', 'GB', 'TB']
  let i = 0
  let n = bytes
  while (n >= 999.5 && i < units.length - 1) {
    n /= 1000
    i++
  }
  return `${i > 0 && n < 9.95 ? n.toFixed(1) : Math.round(n)} ${units[i]}`
}

/** Writes a time of a run, given in nanoseconds since its start. */
export function clock(nanoseconds: number): string {
  const s = nanoseconds / 1e9
  if (s < 10) return `${s.toFixed(1)} s`
  if (s < 120) return `${Math.round(s)} s`
  return `${Math.floor(s / 60)} min ${Math.round(s % 60)} s`
}

/** One of several runs that are shown one behind the other. */
export interface Run {
  at: number
  length: number
}

/** Where a time falls: the run's index, and the time on that run's own clock. */
export function inRun(at: number, runs: Run[] = []): { run: number; own: number } {
  let found = { run: 0, own: at }
  runs.forEach((r, run) => {
    if (at >= r.at) found = { run, own: at - r.at }
  })
  return found
}

/** Writes a time on the clock of its own run, where there are several. */
export function runClock(at: number, runs: Run[] = []): string {
  const { run, own } = inRun(at, runs)
  return runs.length > 1 ? `${clock(own)} of run ${run + 1}` : clock(own)
}

export function date(text: string): string {
  return new Date(text).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' })
}

export function moment(text: string): string {
  return new Date(text).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })
}

export function count(n: number, one: string, many: string): string {
  return `${n.toLocaleString('en-GB')} ${n === 1 ? one : many}`
}

/** How many files a location has, or keys of the registry. */
export function amount(at: string, n: number): string {
  return at.startsWith('registry:') ? count(n, 'key', 'keys') : count(n, 'file', 'files')
}

export function times(n: number): string {
  return n === 0 ? 'never' : n === 1 ? 'once' : n === 2 ? 'twice' : `${n} times`
}

/** The names of systems as their makers write them. */
export const systems: Record<string, string> = { linux: 'Linux', windows: 'Windows', macos: 'macOS' }

/** What a location holds, for people. */
export const holds: Record<string, string> = {
  save: 'progress',
  config: 'settings',
  capture: 'pictures',
}

/** Guesses the visitor's system from what the browser says. */
export function ownSystem(platform = navigator.userAgent): string {
  if (/windows/i.test(platform)) return 'windows'
  if (/mac os/i.test(platform)) return 'macos'
  return 'linux'
}

const hidden = /[\p{Cc}\p{Cf}\p{Zl}\p{Zp}]/gu

/** Writes what does not show as itself as an escape: names of files hold anything. */
export function oneLine(text: string): string {
  return text.replace(hidden, (c) => `\\u${c.codePointAt(0)!.toString(16).toUpperCase().padStart(4, '0')}`)
}

/** Kinds of files, for people. */
export const kinds: Record<string, string> = {
  save: 'progress',
  config: 'settings',
  capture: 'pictures',
  unknown: 'not known',
  log: 'log',
  cache: 'cache',
  temp: 'temporary',
  lock: 'lock',
  asset: 'came with the game',
  system: "the system's",
}

export const hex = (n: number, digits = 4) => `0x${n.toString(16).toUpperCase().padStart(digits, '0')}`

/** Bytes from base64, as the API has them. */
export function bytes(text: string): Uint8Array {
  return Uint8Array.from(atob(text), (c) => c.charCodeAt(0))
}

/** A row of bytes in hexadecimal. */
export function inHex(row: Uint8Array): string {
  const two = [...row].map((b) => b.toString(16).padStart(2, '0'))
  return two.join(' ')
}

/** The letters that bytes are, with a dot for those that are none. */
export const inLetters = (row: Uint8Array) =>
  [...row].map((b) => (b >= 32 && b < 127 ? String.fromCharCode(b) : '.')).join('')

/** Quotes a text for a POSIX shell: what others wrote must not run. */
export const shellQuote = (text: string) =>
  /^[A-Za-z0-9_@%+=:,./-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`

/** A reason as a sentence of its own. */
export const sentence = (reason: string) =>
  reason && reason.charAt(0).toUpperCase() + reason.slice(1) + (/[.!?]$/.test(reason) ? '' : '.')
