import {
  allOfNode,
  askedWithin,
  type ConditionNode,
  eachNode,
  fieldsIn,
  highestEach,
  leavesOf,
  lower,
  mapChildren,
  type RecordsNode,
  type SomeNode,
  TRUE,
} from '../../condition/index.js'
import { type TypeModel, typeModel } from '../../rulebook/index.js'
import { type InnerViewpoint, visibility } from '../../viewpoint/index.js'
import type { Asker } from '../asker-types.js'
import { QueryError } from '../errors.js'

/**
 * Guards a client's filter against inference: every field that it names must be visible for the record to count, whatever the filter's
 * result. Other records that it reaches count only if the asker sees them and the named fields.
 */
export function guardedWhere(asker: Asker, type: TypeModel, where: ConditionNode): ConditionNode {
  const { viewpoint } = asker
  if (viewpoint === undefined || where === TRUE) return where
  const ofPerson = known.get(viewpoint) ?? new WeakMap<ConditionNode, Map<string, ConditionNode>>()
  const ofTypes = ofPerson.get(where) ?? new Map<string, ConditionNode>()
  const guarded = ofTypes.get(type.name) ?? guard(asker, type, where)
  known.set(viewpoint, ofPerson.set(where, ofTypes.set(type.name, guarded)))
  return guarded
}

/** The guarded filters of each person: a filter of the same form and values is the same node. */
const known = new WeakMap<InnerViewpoint, WeakMap<ConditionNode, Map<string, ConditionNode>>>()

function guard(asker: Asker, type: TypeModel, where: ConditionNode): ConditionNode {
  const lowered = lower(where)
  const visible = fieldsIn(where).map((name) => visibleField(asker, type.name, name))
  return allOfNode([...visible, guardedSome(asker, type, lowered, highestEach(lowered))])
}

/** The record types whose other records a condition reads. */
export function typesIn(node: ConditionNode): string[] {
  const types = new Set<string>()
  eachNode(lower(node), (part) => {
    if (part.kind === 'some' && part.over.kind !== 'elements') types.add(part.over.type)
  })
  return [...types]
}

/** What must hold for a field to be visible to the asker. */
export function visibleField(asker: Asker, type: string, field: string): ConditionNode {
  return visibility(typeModel(asker.model, type), asker.rules(type, 'read').clauses, field)
}

/** `highest` is the highest number of a `some` in the whole: conditions from the rules get numbers above it. */
function guardedSome(asker: Asker, root: TypeModel, node: ConditionNode, highest: number): ConditionNode {
  switch (node.kind) {
    case 'allOf':
    case 'anyOf':
    case 'not':
    case 'named':
      return mapChildren(node, (part) => guardedSome(asker, root, part, highest))
    case 'some':
      return guardedOver(asker, root, node, guardedSome(asker, root, node.of, highest), highest)
    // Fields of the record itself, and of records of an enclosing `some`, are guarded at their own level.
    case 'constant':
    case 'compare':
    case 'presence':
    case 'listChange':
      return node
  }
}

function guardedOver(asker: Asker, root: TypeModel, node: SomeNode, of: ConditionNode, highest: number): ConditionNode {
  switch (node.over.kind) {
    case 'elements':
      return { ...node, of }
    case 'records':
      return { ...node, of: allOfNode([...guardsOf(asker, node, node.over, highest), of]) }
    case 'ancestors':
      // The chain could lead through records that the asker may not see.
      throw new QueryError(root.name, 'ancestors(...) can be used in rules, but not in a filter')
  }
}

/** Other records count if the asker sees them, and the fields that are named. */
function guardsOf(asker: Asker, node: SomeNode, over: RecordsNode, highest: number): ConditionNode[] {
  const { each } = node
  const named = new Set(over.by.map(({ to }) => to.path[0] as string))
  for (const leaf of leavesOf(node.of)) if (leaf.kind === 'field' && leaf.of === each) named.add(leaf.path[0] as string)
  const guards = [asker.readable(over.type), ...[...named].map((field) => visibleField(asker, over.type, field))]
  return guards.map((guard) => askedWithin(guard, each, highest))
}
