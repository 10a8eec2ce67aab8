import { type Env, predicate, type Row, shown } from './evaluate.js'
import type { ConditionNode } from './nodes.js'

/** How one part of a condition came out for one record and person. */
export interface Trace {
  readonly node: ConditionNode
  readonly holds: boolean
  /** For a comparison, what stood on its sides; for a test of presence, what was there. */
  readonly values?: readonly unknown[]
  readonly of: readonly Trace[]
}

/** Judges a condition part by part, keeping the outcome of each and the values compared. For developers' eyes only. */
export function trace(node: ConditionNode, record: Row, env: Env): Trace {
  const holds = predicate(node)(record, env)
  switch (node.kind) {
    case 'allOf':
    case 'anyOf':
      return { node, holds, of: node.of.map((part) => trace(part, record, env)) }
    case 'not':
    case 'named':
      return { node, holds, of: [trace(node.of, record, env)] }
    case 'compare':
      return { node, holds, of: [], values: [shown(node.left)(record, env), shown(node.right)(record, env)] }
    case 'presence':
      return { node, holds, of: [], values: [shown(node.term)(record, env)] }
    case 'constant':
      return { node, holds, of: [] }
  }
}
