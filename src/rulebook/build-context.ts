import { describe } from '../condition/describe.js'
import { RulebookError } from './error.js'
import { conditionNode } from './node.js'

// Which conditions and clauses have been made since a callback began and not been used yet. `a && b` in JavaScript is b
// alone: a is then left over, and that is how it is noticed.
let open: { readonly at: string; readonly unused: Set<object> } | undefined

/** Where the callback that is running belongs, for messages. */
export function here(): string {
  return open?.at ?? 'a condition'
}

/** Notes a condition or clause as made. */
export function made<T extends object>(thing: T): T {
  open?.unused.add(thing)
  return thing
}

/** Notes conditions or clauses as used. */
export function used(...things: readonly unknown[]): void {
  for (const thing of things) open?.unused.delete(thing as object)
}

/**
 * Runs a callback of the rulebook's author, and gives what is made of its result.
 * @throws RulebookError if a condition was made in it and used nowhere.
 */
export function noLeftovers<T, R>(at: string, callback: () => T, useResult: (result: T) => R): R {
  const outer = open
  const mine = { at, unused: new Set<object>() }
  open = mine
  try {
    const outcome = useResult(callback())
    const [left] = mine.unused
    if (left !== undefined) {
      const node = conditionNode(left)
      throw new RulebookError(
        at,
        `a condition was made but never used${node ? ` (${describe(node)})` : ''}. Remove it, or combine it with allOf(a, b) or anyOf(a, b): in JavaScript, a && b is just b.`,
      )
    }
    return outcome
  } finally {
    open = outer
  }
}
