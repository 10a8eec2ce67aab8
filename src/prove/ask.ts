import { type ConditionNode, newContext, notNode, predicate, TRUE } from '../condition/index.js'
import { fieldOf, isKeyField, type Model, sameValue, typeModel } from '../rulebook/index.js'
import { type InnerViewpoint, linksOver, viewpointOf, withMyLinks } from '../viewpoint/index.js'
import type { Encoder } from './encoder.js'
import type { Around } from './encoding.js'
import type { Example } from './example.js'
import { inShape, misfitsIn } from './fit.js'
import { clausesOf, countsFor, type Permission, permitted, stampsOf } from './permissions.js'
import { DEFAULT_LIMITS, type Found, type SearchLimits, search } from './search.js'
import { shrunk } from './shrink.js'
import type { Literal } from './solver.js'

/** A question about all worlds: is there one in which a permission and a condition hold? */
export interface Question {
  readonly model: Model
  /** What is done, to a record. Undefined for what belongs to no record. */
  readonly permission?: Permission
  /** The condition as a whole: that of the permission, and what is asked besides. */
  readonly when: ConditionNode
  /** Whether the person really may, in an example: judged as an application would. Default: only the condition has to hold. */
  readonly really?: (example: Example, view: InnerViewpoint) => boolean
}

/** Whether something can be done that the conditions describe, by any person to any record. */
export function ask(question: Question, limits: SearchLimits = DEFAULT_LIMITS): Found {
  const confirms = (example: Example) => holdsIn(question, example)
  const searched = (isPlain: boolean) =>
    search({ model: question.model, ask: (encoder) => asked(encoder, question, isPlain), confirms }, limits)
  const plain = changesList(question) ? searched(true) : undefined
  const found = plain?.kind === 'example' ? plain : searched(false)
  if (found.kind !== 'example') return found
  const type = question.permission?.type
  const example = inShape(question.model, shrunk(found.example, confirms), type, confirms)
  const [wrong] = misfitsIn(question.model, example, type)
  if (wrong !== undefined)
    return { kind: 'unknown', because: `the example that was found does not fit the shape at ${wrong.at}: ${wrong.message}` }
  return { kind: 'example', example }
}

function changesList({ model, permission }: Question): boolean {
  if (permission?.action !== 'update' || permission.field === undefined) return false
  const { list, type } = fieldOf(typeModel(model, permission.type), permission.field)
  return list === true && type !== 'group' && type !== 'other'
}

/** The question in the words of the solver. With `isPlain`, only for changes that are easy to see. */
function asked(encoder: Encoder, { model, permission, when }: Question, isPlain: boolean): { literals: Literal[]; around: Around } {
  if (permission === undefined) return { literals: [encoder.encode(when, {})], around: {} }
  const { type, action } = permission
  const isNew = action === 'create'
  const record = encoder.record(type, !isNew)
  if (action !== 'update') {
    const around = { record, after: record }
    const stamps = isNew ? stampsOf(typeModel(model, type)) : []
    return { literals: [when, ...stamps].map((one) => encoder.encode(one, around)), around }
  }
  const after = encoder.record(type, false)
  const around = { record, after }
  const literals = [
    encoder.encode(when, around),
    ...unchanged(encoder, model, type, around),
    ...(isPlain ? otherList(encoder, permission, around) : []),
  ]
  return { literals, around }
}

/** That a list has an element more or less. It may also change by having one more often, or in another order, so a proof cannot use this. */
function otherList(encoder: Encoder, { field }: Permission, { record, after }: Around): Literal[] {
  const [before, changed] = [record, after].map((one) =>
    field === undefined || one === undefined ? undefined : encoder.individuals.slot(one, [field]),
  )
  if (before?.list === undefined || changed?.list === undefined || before.field.type === 'group' || before.field.type === 'other') return []
  const { values } = encoder
  const element = before.field.values?.[0]
  const value = element === undefined ? values.value(before.value.family, before.value.whole) : values.literal(before.value.family, element)
  const [had, has] = [values.has(before.list, value), values.has(changed.list, value)]
  return [encoder.any([encoder.all([has, -had]), encoder.all([had, -has])])]
}

/** Whether an update of an example changes the field. Of objects, only that it may. */
function isChanged(model: Model, { type, field }: Permission, { record = {}, becomes = {} }: Example): boolean {
  const known = field === undefined ? undefined : typeModel(model, type).fields[field]
  if (field === undefined || known === undefined || known.type === 'group' || known.type === 'other') return true
  return !sameValue(known, record[field], becomes[field])
}

/** What an update cannot change: the key, and the fields of which no clause counts. */
function unchanged(encoder: Encoder, model: Model, name: string, around: Around): Literal[] {
  const { solver, yes } = encoder.values
  const type = typeModel(model, name)
  const stamped = Object.keys(type.rules?.stamps.update ?? {})
  const same = new Map<string, Literal>()
  const literals: Literal[] = []
  for (const field of Object.keys(type.fields)) {
    if (isKeyField(type, field)) same.set(field, yes)
    if (isKeyField(type, field) || stamped.includes(field)) continue
    const is = solver.variable(true)
    same.set(field, is)
    const counting = clausesOf(type, 'update', field).map((clause) => encoder.encode(countsFor(model, clause, 'update'), around))
    literals.push(encoder.any([is, ...counting]))
  }
  const { record, after } = around
  if (record !== undefined && after !== undefined)
    encoder.individuals.twins(record, after, ({ path }) => [same.get(path[0] as string) ?? -yes])
  return literals
}

/** Whether plain evaluation agrees that an example fits. */
function holdsIn({ model, permission, when, really }: Question, example: Example): boolean {
  const { record = {}, becomes } = example
  if (permission?.action === 'update' && !isChanged(model, permission, example)) return false
  const view = viewIn(model, when, example)
  const { me, now, links } = view.env()
  if (!predicate(when)(record, { me, now, links, context: newContext(), after: becomes ?? record })) return false
  return really?.(example, view) ?? true
}

/** The rules as the person of an example has them, with everything that a condition reads of the person. */
function viewIn(model: Model, when: ConditionNode, { me, records, now }: Example): InnerViewpoint {
  // What a privilege asks of the person is read with the claims.
  const reading: Model = { ...model, privileges: { ...model.privileges, ' asked': when } }
  const links = linksOver(model, records as never)
  return viewpointOf(model, me && withMyLinks(reading, me, links), { now: new Date(now), links })
}

/** Where a person may do something that a guarantee excludes. */
export function against(model: Model, permission: Permission, provided: ConditionNode, unless: ConditionNode | undefined): Question {
  const when = [permitted(model, permission), provided, ...(unless === undefined ? [] : [notNode(unless)])]
  return {
    model,
    permission,
    when: { kind: 'allOf', of: when.filter((one) => one !== TRUE) },
    really: (example, view) => isAllowed(model, permission, example, view),
  }
}

/** Whether the person of an example may do it, outside of routines or within one. */
function isAllowed(
  model: Model,
  { type, action, field }: Permission,
  { record, becomes, now, me, records }: Example,
  view: InnerViewpoint,
): boolean {
  const links = linksOver(model, records as never)
  const within = Object.keys(model.routines).filter((routine) => view.mayCall(routine))
  const views = [undefined, ...within].map((routine) =>
    viewpointOf(model, me && withMyLinks(model, me, links), { now: new Date(now), links, within: routine }),
  )
  return views.some((one) => {
    const verdict = one.verdict(action as 'read', type, record as never, becomes as never)
    if (!verdict.allowed) return false
    return field === undefined || action !== 'read' || verdict.fields === undefined || verdict.fields.includes(field)
  })
}
