import { toDisplayString } from 'vue'

// Format and control characters change how a text looks, or what stands beside it, and show
// nothing themselves. Line ends and tabs stay: a text of several lines is shown as such.
const unseen = /[\p{Cc}\p{Cf}\p{Zl}\p{Zp}\p{Co}]/gu

// Letters that are written from right to left (Unicode's blocks of such scripts).
const rightToLeft = /[\u0590-\u08FF\uFB1D-\uFDFF\uFE70-\uFEFC\u{10800}-\u{10FFF}\u{1E800}-\u{1EFFF}]/u

/**
 * Makes a text from anybody safe to stand among others: what does not show is written as an
 * escape, and a text from right to left is isolated (UAX #9, FSI and PDI), so that it does
 * not turn what stands beside it. Every interpolation of every template goes through here:
 * see the transform in vite.config.ts.
 */
export function shown(value: unknown): string {
  const text = toDisplayString(value).replace(unseen, (c) =>
    c === '\n' || c === '\t' || c === '\r'
      ? c
      : `\\u${c.codePointAt(0)!.toString(16).toUpperCase().padStart(4, '0')}`,
  )
  return rightToLeft.test(text) ? `\u2068${text}\u2069` : text
}
