import type { Comparable, Comparison } from '../condition/index.js'
import type { Field, Fields } from '../rulebook/index.js'
import type { Literal } from './solver.js'

/** The kinds of values that can be compared with each other. */
export type Family = 'text' | 'number' | 'boolean' | 'time'

/** A value of a world: of a field, a claim, the time, or a literal of a rule. */
export interface Value {
  readonly id: number
  readonly family: Family
  /** Numbers without a fraction; times are whole milliseconds. */
  readonly whole: boolean
  /** What it is, if that is known. */
  readonly known?: Comparable
}

/** A list of a world, of which only the elements matter. */
export interface List {
  readonly id: number
}

/** Relations between texts besides equality. */
export type TextRelation = Extract<Comparison, 'startsWith' | 'endsWith' | 'contains' | 'isIgnoringCase'>

/** Later than any instant. */
export function isForever({ known }: Value): boolean {
  return known === Number.POSITIVE_INFINITY
}

/** A field of an individual, or a claim: in some worlds it is missing, in some improper, and otherwise it has a value. */
export interface Slot {
  readonly path: readonly string[]
  readonly field: Field
  /** It is read as an id: blank text is missing. */
  readonly asId?: true
  /** It has a value, proper or not. */
  readonly there: Literal
  /** It has a value that can be equal to others. */
  readonly proper: Literal
  readonly value: Value
  /** Its elements, if it is a list. */
  readonly list?: List
}

/** A record of every world that is considered, an object in a list of a record, or the claims. In some worlds it does not exist. */
export interface Individual {
  readonly id: number
  /** The record type; of an object in a list, the names of its owner and the list. */
  readonly type: string
  readonly fields: Fields
  readonly exists: Literal
  /** Whether conditions find it among the stored records. */
  readonly stored: boolean
  /** How many others had to be made up before it. */
  readonly depth: number
  readonly slots: Map<string, Slot>
}
