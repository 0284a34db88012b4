/** Rules of published documents: which shard an id belongs to, and how versions compare. */

/** Whether a title's id belongs to a shard. */
export function inShard(shard: string, id: string): boolean {
  if (!/^[0-9a-f]{16}$/.test(id)) return false
  const binary = [...id].map((c) => parseInt(c, 16).toString(2).padStart(4, '0')).join('')
  return binary.startsWith(shard === 'all' ? '' : shard)
}

/** Orders two versions: negative, zero or positive. */
export function compareVersions(a: string, b: string): number {
  const parts = (v: string) => v.toLowerCase().match(/[0-9]+|[a-z\u0080-\u{10FFFF}]+/gu) ?? []
  const [x, y] = [parts(a), parts(b)]
  for (let i = 0; i < Math.min(x.length, y.length); i++) {
    const [p, q] = [x[i]!, y[i]!]
    if (/^[0-9]/.test(p) && /^[0-9]/.test(q)) {
      const [m, n] = [BigInt(p), BigInt(q)]
      if (m !== n) return m < n ? -1 : 1
    } else if (p !== q) {
      return p < q ? -1 : 1
    }
  }
  return x.length - y.length
}

/** Whether a program may change files by a location of this standing. */
export const usable = (standing: string) => ['observed', 'confirmed', 'proven', 'stale'].includes(standing)
