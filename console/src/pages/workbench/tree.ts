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

/** A row of the tree as it is shown: a folder or a file. */
export interface Row {
  key: string
  depth: number
  folder?: Folder
  leaf?: Leaf
  name: string
  unfolded?: boolean
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
 * unless it is asked for; all unfolds every one. A folder that holds one other alone is drawn together with it.
 */
export function rows(root: Folder, open: ReadonlyMap<string, boolean>, noise: boolean, all = false): Row[] {
  const out: Row[] = []
  const walk = (f: Folder, depth: number) => {
    for (let inner of f.folders) {
      if (!noise && inner.wanted === 0) continue
      let name = inner.name
      while (inner.files.length === 0 && inner.folders.length === 1) {
        inner = inner.folders[0]!
        name += inner.name
      }
      const unfolded = open.get(inner.path) ?? (all || inner.wanted > 0)
      out.push({ key: inner.path, depth, folder: inner, name, unfolded })
      if (unfolded) walk(inner, depth + 1)
    }
    for (const leaf of f.files)
      if (noise || rank(leaf) < interest.length)
        out.push({ key: `${leaf.number}`, depth, leaf, name: leaf.path.slice(f.path.length) || leaf.path })
  }
  walk(root, 0)
  return out
}
