import type { Expression, OperationNode } from 'kysely'

/**
 * A piece of SQL that carries what is known of it: which column it reads, which value it is. A dialect writes comparisons by that; what
 * is written into other SQL loses it, as it should.
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

/** What is known of a piece of SQL, in the words of the dialect that wrote it. */
export function knownOf<A extends object>(fragment: Expression<unknown>): Partial<A> {
  return fragment instanceof Annotated ? (fragment.about as A) : {}
}
