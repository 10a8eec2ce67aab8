import type { Row } from './context.js'
import {
  allOfNode,
  type ConditionNode,
  type FieldNode,
  type LinkNode,
  NOT_REMOVED,
  type PlaceNode,
  presenceNode,
  type RecordRef,
  TRUE,
} from './nodes.js'
import { inside, isMissing } from './value.js'

/** The condition that a record is not removed: the field that a removal stamps is missing. */
export function notRemoved(removal: PlaceNode, of: RecordRef): ConditionNode {
  const field: FieldNode = Object.freeze({ kind: 'field', of, ...removal, optional: true })
  return Object.freeze({ kind: 'named', name: NOT_REMOVED, of: presenceNode(field, false) })
}

/** A condition on the record that a link leads to, which must not be removed. */
export function onLinked({ removal }: Pick<LinkNode, 'removal'>, at: RecordRef, of: ConditionNode): ConditionNode {
  if (removal === undefined) return of
  return of === TRUE ? notRemoved(removal, at) : allOfNode([notRemoved(removal, at), of])
}

/** Whether a link leads to this record: it does not lead to removed ones. */
export function isReached({ removal }: Pick<LinkNode, 'removal'>, row: Row): boolean {
  return removal === undefined || isMissing(inside(row, removal.path), removal.type)
}
