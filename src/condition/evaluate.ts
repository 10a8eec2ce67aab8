import type { Predicate } from './context.js'
import { compileAnyKnown, compileCompare, compileListChange } from './evaluate-compare.js'
import { compileSome } from './evaluate-some.js'
import { lower } from './lower.js'
import type { ConditionNode } from './nodes.js'
import { perNode } from './per-node.js'
import { missingReader } from './readers.js'

const never: Predicate = () => false
const always: Predicate = () => true

/**
 * Compiles a condition to a function. Every in-memory answer comes from this one evaluator.
 * It is two-valued: a comparison with a missing or improper value is false, and `not` is the exact complement.
 * `highest` is the highest number of a `some` in the whole condition, if this is a part of one.
 */
export function predicate(node: ConditionNode, highest = 0): Predicate {
  return highest === 0 ? compiled(node) : compileNode(lower(node, highest))
}

const compiled = perNode((node) => compileNode(lower(node, 0)))

function compileNode(node: ConditionNode): Predicate {
  switch (node.kind) {
    case 'constant':
      return node.value ? always : never
    case 'named':
      return compileNode(node.of)
    case 'not': {
      const inner = compileNode(node.of)
      return (record, env) => !inner(record, env)
    }
    case 'allOf':
      return every(node.of.map(compileNode))
    case 'anyOf':
      return compileAnyKnown(node.of) ?? some(node.of.map(compileNode))
    case 'presence': {
      const missing = missingReader(node.term)
      return node.present ? (record, env) => !missing(record, env) : missing
    }
    case 'compare':
      return compileCompare(node)
    case 'listChange':
      return compileListChange(node)
    case 'some':
      return compileSome(node, compileNode)
  }
}

function every(parts: Predicate[]): Predicate {
  const [a, b] = parts
  if (a === undefined) return always
  if (b === undefined) return a
  if (parts.length === 2) return (record, env) => a(record, env) && b(record, env)
  return (record, env) => {
    for (const part of parts) if (!part(record, env)) return false
    return true
  }
}

function some(parts: Predicate[]): Predicate {
  const [a, b] = parts
  if (a === undefined) return never
  if (b === undefined) return a
  if (parts.length === 2) return (record, env) => a(record, env) || b(record, env)
  return (record, env) => {
    for (const part of parts) if (part(record, env)) return true
    return false
  }
}
