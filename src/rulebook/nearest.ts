/**
 * The known name that was most likely meant, or undefined if none is near. At most a third of its letters may be wrong, counting
 * insertions, deletions, substitutions and swaps of neighbours (optimal string alignment distance).
 */
export function nearest(name: string, known: readonly string[]): string | undefined {
  let best: string | undefined
  let least = Math.max(1, Math.floor(name.length / 3)) + 1
  for (const candidate of known) {
    if (Math.abs(candidate.length - name.length) >= least) continue
    const steps = distance(name.toLowerCase(), candidate.toLowerCase())
    if (steps < least) {
      best = candidate
      least = steps
    }
  }
  return best
}

function distance(a: string, b: string): number {
  let before: number[] = []
  let above = Array.from({ length: b.length + 1 }, (_, at) => at)
  for (let i = 1; i <= a.length; i++) {
    const row = [i]
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1]
      let steps = Math.min((row[j - 1] as number) + 1, (above[j] as number) + 1, (above[j - 1] as number) + (same ? 0 : 1))
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) steps = Math.min(steps, (before[j - 2] as number) + 1)
      row.push(steps)
    }
    before = above
    above = row
  }
  return above[b.length] as number
}
