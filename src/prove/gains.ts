import { type ConditionNode, newContext, predicate, type Row } from '../condition/index.js'
import { keyOf, type Model, typeModel } from '../rulebook/index.js'
import { changedFields, type InnerViewpoint, linksOver, viewpointOf, withMyLinks } from '../viewpoint/index.js'
import type { Example } from './example.js'
import type { Permission } from './permissions.js'
import { type Gain, targetsSeen, type Write } from './write-question.js'

/** The records of an example after the write. */
export function recordsAfter(model: Model, { type, action }: Write, { records, record, becomes }: Example): Example['records'] {
  const known = typeModel(model, type)
  const rows = records[type] ?? []
  const isWritten = (row: Row) => record !== undefined && keyOf(known, row) === keyOf(known, record)
  const others = action === 'create' ? rows : rows.filter((row) => !isWritten(row))
  const written = action === 'create' ? record : becomes
  return { ...records, [type]: written === undefined ? others : [...others, written] }
}

/** The rules as the person of an example has them over some records: outside of routines, and within each that they may call, or only so. */
export function viewsOver(
  model: Model,
  { me, now }: Example,
  records: Example['records'],
  only: Pick<Permission, 'outside' | 'within'> = {},
): readonly InnerViewpoint[] {
  const links = linksOver(model, records as never)
  const person = me && withMyLinks(model, me, links)
  const outside = viewpointOf(model, person, { now: new Date(now), links })
  if (only.outside) return [outside]
  const routines = Object.keys(model.routines).filter((name) => (only.within ?? name) === name && outside.mayCall(name))
  const inside = routines.map((within) => viewpointOf(model, person, { now: new Date(now), links, within }))
  return only.within === undefined ? [outside, ...inside] : inside
}

/** Whether plain evaluation agrees that the write is allowed, and that the person gains something by it. */
export function gainsIn(model: Model, write: Write, gain: Gain, example: Example): boolean {
  const { record, becomes, target } = example
  if (record === undefined || target === undefined) return false
  const type = typeModel(model, gain.type)
  const stored = (records: Example['records']) => records[gain.type]?.find((row) => keyOf(type, row) === keyOf(type, target))
  const later = recordsAfter(model, write, example)
  const before = viewsOver(model, example, example.records)
  const changed = write.action === 'update' ? becomes : undefined
  const mayWrite = before.some((view) => view.verdict(write.action as 'read', write.type, record as never, changed as never).allowed)
  if (
    !mayWrite ||
    !seesTargets(model, write, example, example.records) ||
    stored(example.records) === undefined ||
    stored(later) === undefined
  )
    return false
  if (
    gain.action === 'update' &&
    !seesTargets(model, gain, { ...example, record: target, becomes: example.targetBecomes ?? target }, later)
  )
    return false
  return isGained(model, before, viewsOver(model, example, later), gain, example)
}

/** Whether the person sees the records that the write sets links to. */
function seesTargets(
  model: Model,
  { type, action }: Gain,
  { me, now, record = {}, becomes = record }: Example,
  records: Example['records'],
): boolean {
  if (action !== 'create' && action !== 'update') return true
  const when = targetsSeen(model, typeModel(model, type), action)
  const links = linksOver(model, records as never)
  const view = viewpointOf(model, me && withMyLinks(reading(model, when), me, links), { now: new Date(now), links })
  return predicate(when)(record, { ...view.env(), context: newContext(), after: becomes })
}

const known = new WeakMap<Model, WeakMap<ConditionNode, Model>>()

/** With everything that a condition reads of the person: what a privilege asks of them is read with the claims. */
export function reading(model: Model, when: ConditionNode): Model {
  const some = known.get(model) ?? new WeakMap<ConditionNode, Model>()
  known.set(model, some)
  const found = some.get(when) ?? { ...model, privileges: { ...model.privileges, ' asked': when } }
  some.set(when, found)
  return found
}

function isGained(
  model: Model,
  before: readonly InnerViewpoint[],
  after: readonly InnerViewpoint[],
  { type, action }: Gain,
  example: Example,
): boolean {
  const { target, targetBecomes } = example
  if (action === 'update' && !changesSomething(model, type, example)) return false
  const may = (views: readonly InnerViewpoint[]) =>
    views.some((view) => view.verdict(action as 'read', type, target as never, targetBecomes as never).allowed)
  if (may(after) && !may(before)) return true
  return action === 'read' && may(after) && gainedFields(before, after, type, target as Row).length > 0
}

function changesSomething(model: Model, name: string, { target = {}, targetBecomes = target }: Example): boolean {
  const type = typeModel(model, name)
  const stamped = Object.keys(type.rules?.stamps.update ?? {})
  return changedFields(type, target, targetBecomes).some((field) => !stamped.includes(field))
}

/** The fields with a value that are seen after the write only. */
function gainedFields(before: readonly InnerViewpoint[], after: readonly InnerViewpoint[], type: string, target: Row): readonly string[] {
  const seen = (views: readonly InnerViewpoint[]) => {
    const verdict = views[0]?.verdict('read', type, target as never)
    if (verdict?.allowed !== true) return []
    return Object.keys(target).filter((name) => target[name] != null && (verdict.fields?.includes(name) ?? true))
  }
  const had = seen(before)
  return seen(after).filter((name) => !had.includes(name))
}
