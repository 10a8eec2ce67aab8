import { allOfNode, anyOfNode, type ConditionNode, compareNode, type FieldNode, presenceNode } from '../condition/nodes.js'
import { notRemoved } from '../condition/removal.js'
import { RulebookError } from './error.js'
import type { ClauseNode, TypeModel } from './model.js'

type Conditions = Pick<ClauseNode, 'who' | 'provided' | 'afterwards' | 'includingRemoved'>

/**
 * Everything that must hold for a clause. Where records are removed and not deleted, a clause counts for records that are there. If it
 * includes removed ones, an update by it may bring a record back, but not remove it: that is a deletion.
 */
export function whenOf(type: TypeModel, action: string, { who, provided, includingRemoved }: Conditions): ConditionNode {
  const { removal } = type
  const parts = [who, ...provided]
  if (removal !== undefined && !includingRemoved) parts.push(notRemoved(placeOf(removal), 'record'))
  if (removal !== undefined && includingRemoved && action === 'update') parts.push(restoredOrSame(removal))
  return parts.length === 1 ? who : allOfNode(parts)
}

/** What must hold on the changed record in place of the clause. */
export function afterwardsOf({ removal }: TypeModel, action: string, clause: Conditions): Pick<ClauseNode, 'afterwards'> {
  const { who, provided, afterwards, includingRemoved } = clause
  if (afterwards !== undefined) {
    const there = removal === undefined || includingRemoved
    return { afterwards: there ? afterwards : allOfNode([afterwards, notRemoved(placeOf(removal), 'record')]) }
  }
  // Without the comparison of both records, which says nothing about the changed one alone.
  if (removal === undefined || !includingRemoved || action !== 'update') return {}
  return { afterwards: provided.length === 0 ? who : allOfNode([who, ...provided]) }
}

/** @throws RulebookError if a clause cannot include removed records */
export function checkIncludingRemoved(
  { includingRemoved }: { includingRemoved?: true },
  type: TypeModel,
  action: string,
  at: string,
): void {
  if (!includingRemoved) return
  if (type.removal === undefined)
    throw new RulebookError(at, `includingRemoved() cannot be used here: ${type.name} has no removal, so its records are deleted`)
  if (action === 'create') throw new RulebookError(at, 'includingRemoved() cannot be used here: nobody creates a removed record')
  if (action === 'delete') throw new RulebookError(at, 'includingRemoved() cannot be used here: a removed record is deleted already')
}

/** The changed record is not removed, or removed at the same time as before. */
function restoredOrSame(removal: string): ConditionNode {
  const field = (of: 'record' | 'after'): FieldNode => Object.freeze({ kind: 'field', of, ...placeOf(removal), optional: true as const })
  return anyOfNode([presenceNode(field('after'), false), compareNode(field('after'), 'is', field('record'))])
}

function placeOf(removal: string) {
  return { path: Object.freeze([removal]), type: 'time' as const }
}
