import type { Schemas } from '../../api/client'

type Place = Schemas['Place']

/** What can be proposed, with the fields that each asks for. */
export const kinds = {
  'add-name': { asks: 'Add a name', place: false, text: 'Name', more: 'Its language, such as de' },
  rename: { asks: 'Rename it', place: false, text: 'Name', more: '' },
  describe: {
    asks: 'Tell it from another of its name',
    place: false,
    text: 'Who made it',
    more: 'Year of its first release',
  },
  replace: { asks: 'Put another location in place of one', place: true, text: 'Location', more: '' },
  versions: {
    asks: 'Say for which versions a location holds',
    place: true,
    text: 'From version',
    more: 'To version, that one included',
  },
  withdraw: { asks: 'Withdraw a location', place: true, text: '', more: '' },
} as const

export type Kind = keyof typeof kinds

/** A key for one contribution, that nobody else makes. */
export const newKey = () =>
  [...crypto.getRandomValues(new Uint8Array(16))].map((b) => b.toString(16).padStart(2, '0')).join('')

/** What was typed into the form. */
export interface Change {
  kind: Kind
  text: string
  more: string
  because: string
}

/** The contribution for what was typed; what is wrong with it the service says. */
export function body(
  title: Schemas['Title'],
  c: Change,
  location?: Place,
): Schemas['TitleBody'] | Schemas['LocationBody'] {
  const [text, more] = [c.text.trim(), c.more.trim()]
  const head = { title_id: title.id, title: title.name, because: c.because.trim() }
  const optional = <K extends string>(key: K, value: string) =>
    (value ? { [key]: value } : {}) as Partial<Record<K, string>>
  switch (c.kind) {
    case 'add-name':
      return { kind: 'title', ...head, add_name: { name: text, ...optional('language', more) } }
    case 'rename':
      return { kind: 'title', ...head, rename: { name: text, keep: true } }
    case 'describe':
      return {
        kind: 'title',
        ...head,
        describe: { ...optional('maker', text), ...(more ? { year: Number(more) } : {}) },
      }
  }
  if (!location) throw new Error('choose a location')
  switch (c.kind) {
    case 'replace':
      return { kind: 'location', ...head, location, to: text }
    case 'versions':
      return {
        kind: 'location',
        ...head,
        location,
        versions: { ...optional('from', text), ...optional('to', more) },
      }
    case 'withdraw':
      return { kind: 'location', ...head, location, withdraw: true }
  }
}
