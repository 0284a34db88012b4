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

/** Cuts a pattern into plain text and the parts that vary. */
export function pieces(pattern: string): Piece[] {
  return pattern
    .split(/(\{[a-z]+\}|\*\*|\*|\?)/)
    .filter((text) => text !== '')
    .map((text) => (text in parts ? { text, means: parts[text] } : { text }))
}
