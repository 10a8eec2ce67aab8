import type { Worlds } from './encoding.js'
import type { Literal } from './solver.js'
import type { Individual, Slot } from './terms.js'

/** A literal that holds only if two records have the same key. */
export function areSame(worlds: Worlds, one: Individual, other: Individual): Literal {
  return worlds.all(equalities(worlds, one, other))
}

/** A literal that holds only if two records have different keys. */
export function areApart(worlds: Worlds, one: Individual, other: Individual): Literal {
  return worlds.any(equalities(worlds, one, other).map((equal) => -equal))
}

/** That the parts of their keys are equal, part by part. */
function equalities({ individuals, values }: Worlds, one: Individual, other: Individual): readonly Literal[] {
  const others = individuals.key(other)
  return individuals.key(one).map(({ value }, at) => values.equal(value, (others[at] as Slot).value))
}
