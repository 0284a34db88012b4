/** Reads the vectors and says which of them this implementation does not pass. */
import { readFileSync } from 'node:fs'

import { match, parse, print, resolve } from './location.js'
import { narrowness } from './narrow.js'
import { compareVersions, inShard, usable } from './record.js'

const vectors = JSON.parse(readFileSync(process.argv[2]!, 'utf8'))
const faults: string[] = []
let count = 0

function expect(what: string, got: unknown, want: unknown) {
  count++
  const sorted = (v: unknown): unknown =>
    v && typeof v === 'object' && !Array.isArray(v)
      ? Object.fromEntries(
          Object.entries(v)
            .sort(([a], [b]) => (a < b ? -1 : 1))
            .map(([k, x]) => [k, sorted(x)]),
        )
      : Array.isArray(v)
        ? v.map(sorted)
        : v
  if (JSON.stringify(sorted(got)) !== JSON.stringify(sorted(want)))
    faults.push(`${what}: ${JSON.stringify(got)}, not ${JSON.stringify(want)}`)
}

for (const v of vectors.parse) {
  let got: string | null = null
  try {
    got = print(parse(v.location))
  } catch {
    // refused
  }
  expect(`parse ${v.location}`, got, v.refused ? null : v.location)
}
const narrow = narrowness(JSON.parse(readFileSync(process.argv[3]!, 'utf8')))
for (const v of vectors.narrow) {
  const refusal = narrow(parse(v.location))
  expect(`narrow ${v.location} (${refusal?.reason})`, refusal?.rule ?? null, v.rule ?? null)
}
for (const v of vectors.match)
  expect(
    `${v.location} on ${v.file}`,
    match(parse(v.location), v.file.split('/'), v.known) ?? null,
    v.captures,
  )
for (const v of vectors.resolve)
  expect(`${v.location} on ${v.machine}`, resolve(parse(v.location), v.roots, v.files, v.known), v.found)
for (const v of vectors.shards) expect(`${v.id} in ${v.shard}`, inShard(v.shard, v.id), v.belongs)
for (const v of vectors.versions) expect(`${v.a} and ${v.b}`, Math.sign(compareVersions(v.a, v.b)), v.order)
for (const v of vectors.standings) expect(`standing ${v.standing}`, usable(v.standing), v.usable)

for (const f of faults) console.error(f)
console.log(`${count} vectors, ${faults.length} of them not passed`)
process.exit(faults.length ? 1 : 0)
