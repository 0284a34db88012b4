import type { Schemas } from '../../api/client'

/** What nobody has tried with a variant as a whole. */
export function untried(v: Schemas['Variant']): string[] {
  const usable = v.locations.filter((l) => l.usable)
  if (!usable.length) return []
  const out: string[] = []
  const tried = (words: RegExp) => v.locations.some((l) => l.hazards.some((h) => words.test(h.text)))
  if (v.runtime === 'prefix' && !tried(/^removing the prefix/)) {
    out.push('nobody has tried what removing the prefix deletes (endroit prove --hazard prefix-removal)')
  }
  if (v.launcher && !tried(/^moving the installation/)) {
    out.push('nobody has tried what moving the installation deletes (endroit prove --hazard move)')
  }
  if (v.launcher && usable.some((l) => !l.cloud)) {
    out.push('it is not known what the launcher’s cloud keeps (endroit prove --hazard cloud)')
  }
  return out
}
