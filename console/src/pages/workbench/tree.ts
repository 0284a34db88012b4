/** What the tree needs of a file. */
export interface Leaf {
  number: number
  path: string
  kind: string
}

export const interest = ['save', 'config', 'capture']

/** A folder with what lies in it. */
export interface Folder {
  name: string
  path: string
  folders: Folder[]
  files: Leaf[]
  total: number
  kinds: Record<string, number>
  wanted: number
}

/** A row of the tree as it is shown: a folder with its rows, a file, or what asks for more of a folder's rows. */
export interface Row {
  key: string
  title: string
  folder?: Folder
  leaf?: Leaf
  /** The folder of which more rows can be shown, and how many are not shown yet. */
  more?: { folder: string; rows: number }
  unfolded?: boolean
  /** A folder's rows; none while it is folded, since every row that there is gets drawn. */
  children?: Row[]
}

/** How many rows of a folder are shown before more are asked for. */
export const page = 30
/** Folders unfold by themselves until so many rows are shown. */
const unfoldedRows = 30

/** What of the tree a person asked for. */
export interface Asked {
  /** Folders that were unfolded (true) or folded (false), by path. */
  open?: ReadonlyMap<string, boolean>
  /** How many rows of a folder are wanted, by path; a page without. */
  more?: ReadonlyMap<string, number>
  /** Show files of no interest too. */
  noise?: boolean
  /** Unfold every folder, of interest or not. */
  all?: boolean
}

const empty = (name: string, path: string): Folder => ({
  name,
  path,
  folders: [],
  files: [],
  total: 0,
  kinds: {},
  wanted: 0,
})

/** Sorts files into their folders. Places and paths begin differently: each has its own top. */
export function grown(leaves: Leaf[]): Folder {
  const root = empty('', '')
  const known = new Map<string, Folder>([['', root]])
  const folder = (path: string): Folder => {
    const there = known.get(path)
    if (there) return there
    const cut = path.length < 2 ? 0 : path.lastIndexOf('/', path.length - 2) + 1
    const up = cut === 0 ? root : folder(path.slice(0, cut))
    const made = empty(path.slice(cut), path)
    known.set(path, made)
    up.folders.push(made)
    return made
  }
  for (const leaf of leaves) {
    const at =
      leaf.path.slice(0, leaf.path.lastIndexOf('/') + 1) || leaf.path.slice(0, leaf.path.indexOf(':') + 1)
    folder(at).files.push(leaf)
  }
  count(root)
  return root
}

function count(f: Folder) {
  for (const leaf of f.files) f.kinds[leaf.kind] = (f.kinds[leaf.kind] ?? 0) + 1
  f.total = f.files.length
  for (const inner of f.folders) {
    count(inner)
    f.total += inner.total
    for (const [k, n] of Object.entries(inner.kinds)) f.kinds[k] = (f.kinds[k] ?? 0) + n
  }
  f.wanted = interest.reduce((n, k) => n + (f.kinds[k] ?? 0), 0)
  f.folders.sort((a, b) => b.wanted - a.wanted || b.total - a.total || (a.name < b.name ? -1 : 1))
  f.files.sort((a, b) => rank(a) - rank(b) || (a.path < b.path ? -1 : 1))
}

const rank = (l: Leaf) => (interest.includes(l.kind) ? interest.indexOf(l.kind) : interest.length)

/**
 * The rows that are shown. Folders without anything of interest are noise, and folded away
 * unless it is asked for. A folder that holds one other alone is drawn together with it.
 */
export function rows(root: Folder, { open, more, noise, all }: Asked = {}): Row[] {
  let shown = 0
  const folderRow = (outer: Folder): Row => {
    let inner = outer
    let title = inner.name
    while (inner.files.length === 0 && inner.folders.length === 1) {
      inner = inner.folders[0]!
      title += inner.name
    }
    const byItself = (all || inner.wanted > 0) && shown < unfoldedRows
    const unfolded = open?.get(inner.path) ?? byItself
    return { key: inner.path, title, folder: inner, unfolded, children: unfolded ? rowsOf(inner) : [] }
  }
  const rowsOf = (f: Folder): Row[] => {
    const folders = f.folders.filter((inner) => noise || inner.wanted > 0)
    const files = f.files.filter((leaf) => noise || rank(leaf) < interest.length)
    const wanted = more?.get(f.path) ?? page
    const out: Row[] = []
    shown += Math.min(wanted, folders.length + files.length)
    for (const inner of folders.slice(0, wanted)) out.push(folderRow(inner))
    for (const leaf of files.slice(0, Math.max(0, wanted - folders.length)))
      out.push({ key: `${leaf.number}`, title: leaf.path.slice(f.path.length) || leaf.path, leaf })
    const rest = folders.length + files.length - out.length
    if (rest > 0) {
      const title = `Show ${Math.min(rest, page)} of ${rest} more`
      out.push({ key: `more ${f.path}`, title, more: { folder: f.path, rows: rest } })
    }
    return out
  }
  return rowsOf(root)
}

/** The keys of the folders that are unfolded. */
export const unfoldedKeys = (list: Row[]): string[] =>
  list.flatMap((r) => (r.unfolded ? [r.key, ...unfoldedKeys(r.children ?? [])] : []))
