import { askedWithin, isMissing, type JoinNode, literalType, proper, type Row, someNode } from '../condition/index.js'
import { type LinkModel, sameValue, type TypeModel, typeModel } from '../rulebook/index.js'
import type { FieldFault } from './errors.js'
import { judge, type Operation } from './operation.js'

/** A key that a client sent, and the record type that it leads to. */
interface Target {
  readonly field: string
  readonly to: string
  readonly join: JoinNode
}

/**
 * The links that were set to records which the asker does not see. To them, these are no different from records that do not
 * exist; a link may say that its target may be any.
 */
export async function unseenTargets(op: Operation, type: TypeModel, sent: Row, before: Row = {}): Promise<FieldFault[]> {
  if (op.asker.viewpoint === undefined) return []
  const targets = Object.values(type.links).flatMap((link) => targetsOf(op, type, link, sent, before))
  const conditions = targets.map(({ to, join }) => {
    const over = { kind: 'records', type: to, by: [join] } as const
    return { when: someNode(1, over, askedWithin(op.asker.readable(to), 1)) }
  })
  const seen = await judge(op, conditions, {})
  const fields = targets.filter((_, at) => !seen[at])
  return [...new Map(fields.map(({ field, to }) => [field, { field, problem: `there is no such ${to}` }])).values()]
}

/** The record types that a record leads to by links that whoever sets them has to see the other end of. */
export function targetTypes(type: TypeModel): string[] {
  return Object.values(type.links).flatMap(({ to, target }) => (target === 'visible' ? [to] : []))
}

function targetsOf(op: Operation, type: TypeModel, link: LinkModel, sent: Row, before: Row): Target[] {
  const [pair] = link.by
  const field = pair?.from.path[0] as string
  const other = typeModel(op.asker.model, link.to)
  // Only what leads to a key sets a link: other links come about by what both records hold.
  if (pair === undefined || link.by.length > 1 || pair.to.path[0] !== other.key || field === type.key || link.target === 'any') return []
  if (!Object.hasOwn(sent, field) || sameValue(type.fields[field], sent[field], before[field])) return []
  const old = listOf(before[field])
  return listOf(sent[field]).flatMap((value) => {
    const key = proper(value, pair.from.type)
    if (isMissing(value, pair.from.type) || old.includes(value) || key === undefined) return []
    return [{ field, to: link.to, join: { to: pair.to, from: { kind: 'literal', type: literalType(pair.from.type), value: key } } }]
  })
}

function listOf(value: unknown): unknown[] {
  return Array.isArray(value) ? value : [value]
}
