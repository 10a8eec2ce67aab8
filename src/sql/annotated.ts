import type { Expression, OperationNode } from 'kysely'

/**
 * A piece of SQL with facts about it: the column that it reads, or the value that it is. Dialects use them when they write comparisons. An
 * expression made from it loses them, as it should.
 */
export class Annotated<A extends object> implements Expression<unknown> {
  readonly about: A
  readonly #written: Expression<unknown>

  constructor(written: Expression<unknown>, about: A) {
    this.#written = written
    this.about = about
  }

  get expressionType(): unknown {
    return undefined
  }

  toOperationNode(): OperationNode {
    return this.#written.toOperationNode()
  }
}

/** The facts about a piece of SQL, in the types of the dialect that wrote it. */
export function knownOf<A extends object>(fragment: Expression<unknown>): Partial<A> {
  return fragment instanceof Annotated ? (fragment.about as A) : {}
}
