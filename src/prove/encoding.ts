import type { ClaimNode, ConditionNode, FieldNode } from '../condition/index.js'
import type { Model } from '../rulebook/index.js'
import type { Comparing } from './comparing.js'
import type { Individuals } from './individuals.js'
import type { Literal } from './solver.js'
import type { Individual, Slot } from './terms.js'
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

/** A write: the record as it was stored before, if it was, and as it is stored afterwards, if it is. */
export interface Change {
  readonly type: string
  readonly before?: Individual
  readonly after?: Individual
  /** The fields that can be another way afterwards. Undefined: a record appears or is gone. */
  readonly fields?: readonly string[]
  /** The server made the key: nothing that was there before has it. */
  readonly isFresh?: boolean
}

/** The worlds that are considered, whatever is said of them. */
export interface Worlds {
  readonly model: Model
  readonly values: Values
  readonly individuals: Individuals
  readonly comparing: Comparing
  readonly limits: Limits
  /** Only worlds that are easy to see are wanted, for an example. A proof needs all of them. */
  readonly isPlain: boolean
  record(type: string, stored: boolean, exists?: Literal, depth?: number): Individual
  all(literals: readonly Literal[]): Literal
  any(literals: readonly Literal[]): Literal
  everyOne(universal: Universal): void
  /** Notes that something was left out because of the limits. */
  cut(): void
  /** A number of its own for each object. */
  numberOf(node: object): number
}

/** What the parts of the encoder need of each other. */
export interface Encoding {
  readonly worlds: Worlds
  /** The write that came before. Undefined: records are as they are stored. */
  readonly change?: Change | undefined
  /** The same before the write. */
  readonly base?: Encoding | undefined
  /** A literal that holds only where the condition has this result. Links were followed by `some` alone before. */
  encodeLowered(node: ConditionNode, around: Around, result: boolean): Literal
  slot(term: FieldNode | ClaimNode, around: Around): Slot
  /** A literal that holds only if a stored record is the one that the write replaced. */
  isGone(one: Individual): Literal
  /** A literal that holds only if a stored record is another one. */
  isStillThere(one: Individual): Literal
}

/** The same for the same individuals. */
export function nameOf(around: Around): string {
  return Object.entries(around)
    .map(([name, { id }]) => `${name}=${id}`)
    .join()
}
