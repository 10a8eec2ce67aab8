import type { ClaimNode, ConditionNode, FieldNode } from '../condition/index.js'
import type { Model } from '../rulebook/index.js'
import type { Individual, Individuals, Slot } from './individuals.js'
import type { Literal } from './solver.js'
import type { Values } from './values.js'

/** The individuals that a condition speaks of: the record, the changed record, and those of enclosing `some` nodes by their number. */
export type Around = Readonly<Record<string, Individual>>

/** How much is looked at. Beyond it, nothing is claimed. */
export interface Limits {
  /** The individuals. */
  readonly individuals: number
  /** How many individuals may be made up one after another, each because of the one before. */
  readonly depth: number
}

/** A statement about all individuals of a kind, which are not all known yet. */
export interface Universal {
  readonly if: Literal
  readonly covers: (one: Individual) => boolean
  readonly follows: (one: Individual) => Literal
}

/** What the parts of the encoder need of each other. */
export interface Encoding {
  readonly model: Model
  readonly values: Values
  readonly individuals: Individuals
  record(type: string, stored: boolean, exists?: Literal, depth?: number): Individual
  /** A literal that holds only where the condition has this result. Links were followed by `some` alone before. */
  encodeLowered(node: ConditionNode, around: Around, result: boolean): Literal
  slot(term: FieldNode | ClaimNode, around: Around): Slot
  all(literals: readonly Literal[]): Literal
  any(literals: readonly Literal[]): Literal
  everyOne(universal: Universal): void
}

/** The same for the same individuals. */
export function nameOf(around: Around): string {
  return Object.entries(around)
    .map(([name, { id }]) => `${name}=${id}`)
    .join()
}
