import type { Schemas } from '../../api/client'
import { holds, shellQuote } from '../../words'

/** A step that a person takes: what to do, and what to paste for it. */
export interface Step {
  text: string
  /** A command line to paste. */
  command?: string
  /** A location whose folder or file is meant, with the forms in which it can be pasted. */
  at?: string
  forms?: Schemas['Form'][]
}

/** How to do one thing with a title's files, with Endroit and by hand. */
export interface Way {
  what: string
  endroit: Step[]
  hand: Step[]
}

type Variant = Schemas['Variant']

/** The launchers that could keep cloud copies of a variant, and whether their sheets tell of a switch. */
export interface Cloud {
  launchers: string[]
  known: boolean
}

/** The launcher's cloud comes first: it puts back what is taken away, and overwrites what is put back. */
function cloudFirst(cloud: Cloud): Step[] {
  if (!cloud.launchers.length) return []
  const many = cloud.launchers.length > 1
  const it = many ? 'They' : 'It'
  const does = cloud.known ? 'can keep them' : 'may keep them, which is not known here'
  return [
    {
      text: `In ${cloud.launchers.join(' and ')}, switch cloud copies off for this title. ${it} ${does}, and would put back what is taken away, or overwrite what is put back.`,
    },
  ]
}

/** What of a variant people may change files by: neither disputed nor withdrawn. */
export function usable(v: Variant, held: string[]): Schemas['Location'][] {
  return v.locations.filter((l) => l.usable && held.includes(l.holds))
}

const keys: Record<string, string> = {
  Copy: 'In the registry editor, export this key with all below it',
  'Replace with your copy': 'In the registry editor, delete this key, then import your export of it',
  'Move to another folder': 'In the registry editor, export this key with all below it, then delete it',
}

function place(l: Schemas['Location'], verb: string): Step {
  if (l.anchor === 'registry') return { text: `${keys[verb]} (${holds[l.holds]}):`, at: l.at, forms: l.forms }
  const what = l.at.endsWith('/') ? 'this folder with all that is in it' : 'the files that this names'
  return { text: `${verb} ${what} (${holds[l.holds]}):`, at: l.at, forms: l.forms }
}

/** Says how to copy, put back and start afresh; nothing if no location may be used. */
export function ways(title: string, v: Variant, cloud: Cloud): Way[] {
  const all = usable(v, ['save', 'config'])
  const progress = usable(v, ['save'])
  const quit: Step = { text: 'Quit the game, and wait until it has ended.' }
  const name = shellQuote(title)
  const back: Step = {
    text: 'Start the game and look. Only then switch cloud copies on again, and keep your own files if it asks.',
  }
  const after = !cloud.launchers.length ? [{ text: 'Start the game and look.' }] : [back]
  if (!all.length) return []
  const out: Way[] = [
    {
      what: 'Copy',
      endroit: [
        { text: 'Takes a copy of all of it that reads without Endroit:', command: `endroit copy ${name}` },
      ],
      hand: [
        quit,
        ...all.map((l) => place(l, 'Copy')),
        { text: 'Copy, and do not move: a file that is dragged is gone from its place.' },
      ],
    },
    {
      what: 'Put back',
      endroit: [
        { text: 'Lists your copies, each with an id:', command: `endroit copies ${name}` },
        ...cloudFirst(cloud),
        { text: 'Shows both sides, asks, and keeps what it replaces:', command: 'endroit putback ID' },
        { text: 'Takes that back:', command: 'endroit undo' },
      ],
      hand: [
        quit,
        ...cloudFirst(cloud),
        { text: 'Copy what is there now to another folder first.' },
        ...all.map((l) => place(l, 'Replace with your copy')),
        ...after,
      ],
    },
  ]
  if (progress.length) {
    out.push({
      what: 'Start afresh',
      endroit: [
        ...cloudFirst(cloud),
        { text: 'Moves progress to a copy, and leaves settings:', command: `endroit clear ${name}` },
        { text: 'Keeps several sets of progress by name:', command: `endroit switch ${name} NAME` },
      ],
      hand: [
        quit,
        ...cloudFirst(cloud),
        ...progress.map((l) => place(l, 'Move to another folder')),
        ...after,
      ],
    })
  }
  return out
}
