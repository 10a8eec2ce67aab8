import { type Env, type EvaluationContext, newContext, type Row } from './context.js'
import { predicate } from './evaluate.js'
import { type ConditionNode, FALSE, type SomeNode, someNode } from './nodes.js'
import { shown } from './readers.js'
import { highestEach } from './walk.js'

/** How one part of a condition came out for one record and person. */
export interface Trace {
  readonly node: ConditionNode
  readonly holds: boolean
  /** For a comparison, what stood on its sides; for a test of presence, what was there. */
  readonly values?: readonly unknown[]
  readonly of: readonly Trace[]
  /** Within a `some`: the record that this part was judged on. */
  readonly on?: Row
  /** For a `some`: how many records there were to look at. */
  readonly looked?: number
}

// Of the records that do not fit, so many are told of: the nearest ones.
const MOST_TOLD = 3

/**
 * Judges a condition part by part, keeping the outcome of each and the values compared. Of the records that a `some` looks
 * at, it tells of one that fits, or else of some that do not. For developers' eyes only.
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
      return { node, holds, looked: rows.length, of: fitting ? [fitting] : nearest }
    }
  }
}

function failures(part: Trace): number {
  if (part.holds) return 0
  return part.of.length === 0 ? 1 : part.of.reduce((sum, inner) => sum + failures(inner), 0)
}

/** The records that a `some` looks at: asked of each in turn, the answer always being no. */
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
