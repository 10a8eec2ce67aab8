import { type Env, type EvaluationContext, newContext, type Row } from './context.js'
import { predicate } from './evaluate.js'
import { type ConditionNode, FALSE, type SomeNode, someNode } from './nodes.js'
import { shown } from './readers.js'
import { highestEach } from './walk.js'

/** The result of one part of a condition, for one record and person. */
export interface Trace {
  readonly node: ConditionNode
  readonly holds: boolean
  /** For a comparison, the values of both sides; for a presence test, the value found. */
  readonly values?: readonly unknown[]
  readonly of: readonly Trace[]
  /** Inside a `some`: the record that this part was evaluated on. */
  readonly on?: Row
  /** The key of that record, where the record types are known. */
  readonly key?: string
  /** For a `some`: the number of records that were searched. */
  readonly looked?: number
  /** For a `some` that counts: how many of them match. */
  readonly matching?: number
}

// Of the records that do not match, this many are reported, nearest first.
const MOST_TOLD = 3

/**
 * Evaluates a condition and keeps the result and the compared values of each part. Of the records of a `some`, it reports a matching one,
 * or else some that do not match. For developers only.
 */
export function trace(node: ConditionNode, record: Row, env: Env): Trace {
  return traced(node, record, { ...env, context: env.context ?? newContext() }, highestEach(node))
}

function traced(node: ConditionNode, record: Row, env: Env & { readonly context: EvaluationContext }, highest: number): Trace {
  const holds = predicate(node, highest)(record, env)
  switch (node.kind) {
    case 'allOf':
    case 'anyOf':
      return { node, holds, of: node.of.map((part) => traced(part, record, env, highest)) }
    case 'not':
    case 'named':
      return { node, holds, of: [traced(node.of, record, env, highest)] }
    case 'compare':
      return { node, holds, of: [], values: [shown(node.left)(record, env), shown(node.right)(record, env)] }
    case 'listChange':
      return { node, holds, of: [], values: [node.list, node.from, node.item].map((term) => shown(term)(record, env)) }
    case 'presence':
      return { node, holds, of: [], values: [shown(node.term)(record, env)] }
    case 'constant':
      return { node, holds, of: [] }
    case 'some': {
      const rows = lookedAt(node, record, env, highest)
      const traces = rows.map((row) => {
        env.context.looking[node.each] = row
        return { ...traced(node.of, record, env, highest), on: row }
      })
      const fitting = traces.find((one) => one.holds)
      const nearest = [...traces].sort((a, b) => failures(a) - failures(b)).slice(0, MOST_TOLD)
      if (node.least !== undefined) {
        const matching = traces.filter((one) => one.holds)
        const told = matching.length > 0 ? matching.slice(0, Math.max(node.least, MOST_TOLD)) : nearest
        return { node, holds, looked: rows.length, matching: matching.length, of: told }
      }
      return { node, holds, looked: rows.length, of: fitting ? [fitting] : nearest }
    }
  }
}

function failures(part: Trace): number {
  if (part.holds) return 0
  return part.of.length === 0 ? 1 : part.of.reduce((sum, inner) => sum + failures(inner), 0)
}

/** The records of a `some`, collected by a callback that always returns false. */
function lookedAt(node: SomeNode, record: Row, env: Env & { readonly context: EvaluationContext }, highest: number): Row[] {
  const found: Row[] = []
  const context: EvaluationContext = {
    looking: [...env.context.looking],
    known: new Map(),
    note: (each, row) => {
      if (each === node.each) found.push(row)
    },
  }
  predicate(someNode(node.each, node.over, FALSE), highest)(record, { ...env, context })
  return found
}
