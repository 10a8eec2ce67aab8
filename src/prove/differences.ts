import type { Literal } from './solver.js'

/** The value `to` is at most that of `from` and `most` more, or less than that if it is strict. */
export interface Edge {
  readonly from: number
  readonly to: number
  readonly most: number
  readonly strict: boolean
  /** What says so. Undefined if it holds in every world. */
  readonly because?: Literal
}

/** The values, or a cycle of differences that contradict each other. */
export type Differences = { readonly values: ReadonlyMap<number, number> } | { readonly cycle: readonly Edge[] }

/** The value from which known ones are so much away. */
export const ORIGIN = -1

/**
 * Values with which all differences hold, or differences that contradict each other: a cycle whose sum is negative. A strict difference counts
 * `step` less. Sources: R. Bellman, On a Routing Problem, 1958; L. Ford, Network Flow Theory, 1956.
 */
export function cycleIn(edges: readonly Edge[], step: number): Differences {
  const at = new Map<number, number>()
  /** How many strict differences lead to a value, for sums that are equal otherwise. */
  const strict = new Map<number, number>()
  const came = new Map<number, Edge>()
  for (const { from, to } of edges) for (const node of [from, to]) at.set(node, 0)
  for (let round = 0; round <= at.size; round++) {
    let last: Edge | undefined
    for (const edge of edges) {
      const sum = (at.get(edge.from) as number) + edge.most - (edge.strict ? step : 0)
      const count = (strict.get(edge.from) ?? 0) + (edge.strict ? 1 : 0)
      const now = at.get(edge.to) as number
      if (sum > now || (sum === now && count <= (strict.get(edge.to) ?? 0))) continue
      at.set(edge.to, sum)
      strict.set(edge.to, count)
      came.set(edge.to, edge)
      last = edge
    }
    if (last === undefined) break
    if (round < at.size) continue
    const cycle = cycleFrom(last, came, at.size)
    if (isNegative(cycle, step)) return { cycle }
  }
  return { values: at }
}

/**
 * Whether the sum of a cycle is negative, exactly: sums of fractions could be wrong by their last digit. A cycle comes through the origin at
 * most once, so it has at most two fractions, and the sign of their difference is exact.
 */
function isNegative(cycle: readonly Edge[], step: number): boolean {
  const [known, others] = [cycle.filter(isKnown), cycle.filter((edge) => !isKnown(edge))]
  const sum = known.reduce((total, { most }) => total + most, 0) + others.reduce((total, { most }) => total + most, 0)
  const strict = cycle.filter((edge) => edge.strict).length
  return sum < 0 || (sum === 0 && strict > 0) || (step > 0 && sum - strict * step < 0)
}

function isKnown({ from, to }: Edge): boolean {
  return from === ORIGIN || to === ORIGIN
}

/** A cycle among the edges by which values were found. Each value within is as many edges away as there are values. */
function cycleFrom(last: Edge, came: ReadonlyMap<number, Edge>, size: number): readonly Edge[] {
  let node = last.to
  for (let back = 0; back < size; back++) node = (came.get(node) as Edge).from
  const cycle: Edge[] = []
  for (let edge = came.get(node) as Edge; ; edge = came.get(edge.from) as Edge) {
    cycle.push(edge)
    if (edge.from === node) return cycle
  }
}

/** Values with which all differences hold, counted from the origin. */
export function valuesFrom(edges: readonly Edge[], step: number): readonly (readonly [id: number, value: number])[] {
  const found = cycleIn(edges, step)
  if (!('values' in found)) return []
  const origin = found.values.get(ORIGIN) ?? 0
  return [...found.values].map(([id, at]) => [id, at - origin])
}
