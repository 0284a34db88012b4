import { parse, printPart } from '../../conformance/typescript/location'

/** A piece of a pattern as it is drawn: plain text, or a part that varies. */
export interface Piece {
  text: string
  means?: string
}

const parts: Record<string, string> = {
  '{account}': "the number or name of the launcher's account",
  '{slot}': 'the slot',
  '{profile}': 'a name that the player chose, or that was made for them',
  '{user}': "the person's name on the machine",
  '{host}': "the machine's name",
  '{ref}': "the store's reference of the edition",
  '**': 'any folders, or none',
  '*': 'any text',
  '?': 'one character',
}

/** Cuts a pattern into plain text and the parts that vary, as it is read everywhere. */
export function pieces(pattern: string): Piece[] {
  const out: Piece[] = []
  const add = (text: string) => {
    const last = out.at(-1)
    if (last && last.means === undefined) last.text += text
    else out.push({ text })
  }
  try {
    const l = parse(`xdg-data:${pattern}`) // which anchor it is makes no difference here
    l.segments.forEach((segment, i) => {
      if (i > 0) add('/')
      segment.forEach((part, j) => {
        const text = printPart(segment, j)
        if (part.kind === 'literal') add(text)
        else out.push({ text, means: parts[text] })
      })
    })
    if (l.folder) add('/')
    return out
  } catch {
    return [{ text: pattern }] // it is shown as it stands
  }
}
