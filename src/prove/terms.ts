import type { Comparable, Comparison } from '../condition/index.js'

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
