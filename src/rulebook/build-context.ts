import { describe } from '../condition/describe.js'
import { RulebookError } from './error.js'
import { conditionNode } from './node.js'

// The conditions and clauses created since a callback began and not used yet. JavaScript evaluates `a && b` to b, so a is left over: that
// is how the mistake is found.
let open: { readonly at: string; readonly unused: Set<object> } | undefined

/** The place of the running callback, for messages. */
export function here(): string {
  return open?.at ?? 'a condition'
}

/** Records that a condition or clause was created. */
export function made<T extends object>(thing: T): T {
  open?.unused.add(thing)
  return thing
}

/** Records that conditions or clauses were used. */
export function used(...things: readonly unknown[]): void {
  for (const thing of things) open?.unused.delete(thing as object)
}

/**
 * Runs a callback of the rulebook's author and processes its result.
 * @throws RulebookError if a condition was created in it and not used.
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
