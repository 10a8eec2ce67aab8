import type { Literal } from './solver.js'
import type { Individual, Slot, Value } from './terms.js'
import type { Values } from './values.js'

/** The key of a new record that the server makes, and which values are equal in the world that was found. */
interface Fresh {
  readonly made: Individual
  readonly key: Slot
  readonly equals: (a: Value, b: Value) => boolean
}

/** Clauses against a world that has the key of a new record elsewhere: in a rule, among the claims, or in records that were there before. */
export function reusedIn(values: Values, all: readonly Individual[], { made, key: { value: key }, equals }: Fresh): Literal[][] {
  const isKey = (value: Value) => value.family === key.family && equals(value, key)
  const inRules = values.all.filter((value) => value.known !== undefined && isKey(value)).map((value) => [-values.equal(value, key)])
  // What may be the person's own record, the new one, has its key.
  const others = all.filter((one) => one !== made && (one.stored || one.type !== made.type))
  return [...inRules, ...others.flatMap(({ slots }) => [...slots.values()].flatMap((slot) => reusedAt(values, slot, key, isKey)))]
}

function reusedAt(values: Values, { there, value, list }: Slot, key: Value, isKey: (value: Value) => boolean): Literal[][] {
  const { solver } = values
  if (list === undefined) return solver.holds(there) && isKey(value) ? [[-values.equal(value, key)]] : []
  return values
    .elementsOf(list)
    .filter((element) => solver.holds(element.is) && isKey(element.value))
    .map((element) => [-element.is, ...(element.value === key ? [] : [-values.equal(element.value, key)])])
}
