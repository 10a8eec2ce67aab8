/** A position in the source. */
export interface SourcePlace {
  readonly file: string
  /** From 1. */
  readonly line: number
}

/** The positions of the parts of a rulebook in its source. Undefined if unknown. */
export interface SourcePlaces {
  /** The rules of a record type. */
  rules(type: string): SourcePlace | undefined
  /** A clause, by its number among the clauses of the action, from 0. */
  clause(type: string, action: string, number: number): SourcePlace | undefined
  veto(type: string, number: number): SourcePlace | undefined
  /** A guarantee, by its number among those of the type, from 0. */
  guarantee(type: string, number: number): SourcePlace | undefined
  standing(type: string, name: string): SourcePlace | undefined
  /** A privilege or a routine. */
  grant(kind: 'privileges' | 'routines', name: string): SourcePlace | undefined
}
