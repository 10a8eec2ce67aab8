import { allOfNode, askedWithin, type ConditionNode, fieldsIn, highestEach, leavesOf, lower, type OverNode } from '../condition/index.js'
import { type TypeModel, typeModel } from '../rulebook/index.js'
import { visibility } from '../viewpoint/index.js'
import type { Asker } from './asker.js'
import { QueryError } from './errors.js'

/**
 * What a client filters by, so that nothing can be inferred from it: every field that it names has to be visible for the
 * record to count, whatever the filter makes of it; and other records that it reaches count where the asker sees them, and
 * the fields of them that it names.
 */
export function guardedWhere(asker: Asker, type: TypeModel, where: ConditionNode): ConditionNode {
  if (asker.viewpoint === undefined) return where
  const lowered = lower(where)
  const visible = fieldsIn(where).map((name) => visibleField(asker, type.name, name))
  return allOfNode([...visible, guardedSome(asker, type, lowered, highestEach(lowered))])
}

/** The record types that a condition looks at other records of. */
export function typesIn(node: ConditionNode): string[] {
  const types = new Set<string>()
  walkSome(lower(node), (over) => {
    if (over.kind !== 'elements') types.add(over.type)
  })
  return [...types]
}

function walkSome(node: ConditionNode, visit: (over: OverNode) => void): void {
  if (node.kind === 'allOf' || node.kind === 'anyOf') for (const part of node.of) walkSome(part, visit)
  else if (node.kind === 'not' || node.kind === 'named') walkSome(node.of, visit)
  else if (node.kind === 'some') {
    visit(node.over)
    walkSome(node.of, visit)
  }
}

/** What has to hold for a field to be visible to the asker. */
export function visibleField(asker: Asker, type: string, field: string): ConditionNode {
  return visibility(typeModel(asker.model, type), asker.rules(type, 'read').clauses, field)
}

/** `highest` is the highest number of a `some` in the whole: what the rules bring in is numbered above it. */
function guardedSome(asker: Asker, root: TypeModel, node: ConditionNode, highest: number): ConditionNode {
  switch (node.kind) {
    case 'allOf':
    case 'anyOf':
      return { ...node, of: node.of.map((part) => guardedSome(asker, root, part, highest)) }
    case 'not':
    case 'named':
      return { ...node, of: guardedSome(asker, root, node.of, highest) }
    case 'some': {
      const { over, each } = node
      // The chain would be followed through records that the asker may not see.
      if (over.kind === 'ancestors') throw new QueryError(root.name, 'ancestors(...) can be used in rules only, not in a filter')
      const of = guardedSome(asker, root, node.of, highest)
      if (over.kind === 'elements') return { ...node, of }
      const named = new Set(over.by.map(({ to }) => to.path[0] as string))
      for (const leaf of leavesOf(node.of)) if (leaf.kind === 'field' && leaf.of === each) named.add(leaf.path[0] as string)
      const guards = [asker.readable(over.type), ...[...named].map((field) => visibleField(asker, over.type, field))]
      return { ...node, of: allOfNode([...guards.map((guard) => askedWithin(guard, each, highest)), of]) }
    }
    default:
      return node
  }
}
