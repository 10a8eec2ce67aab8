import { type ConditionNode, newContext, notNode, predicate, TRUE } from '../condition/index.js'
import { type Model, sameValue, typeModel } from '../rulebook/index.js'
import { type InnerViewpoint, linksOver, viewpointOf, withMyLinks } from '../viewpoint/index.js'
import type { Encoder } from './encoder.js'
import type { Around } from './encoding.js'
import type { Example } from './example.js'
import { inShape, misfitsIn } from './fit.js'
import { reading, viewsOver } from './gains.js'
import { type Permission, permitted, stampsOf } from './permissions.js'
import { DEFAULT_LIMITS, type Found, type SearchLimits, search } from './search.js'
import { shrunk } from './shrink.js'
import type { Literal } from './solver.js'
import { plainChange, unchanged } from './updates.js'

/** A question about all worlds: is there one in which a permission and a condition hold? */
export interface Question {
  readonly model: Model
  /** What is done, to a record. Undefined for what belongs to no record. */
  readonly permission?: Permission
  /** The condition as a whole: that of the permission, and what is asked besides. */
  readonly when: ConditionNode
  /** Whether the person really may, in an example: judged as an application would. Default: only the condition has to hold. */
  readonly really?: (example: Example) => boolean
}

/** Whether something can be done that the conditions describe, by any person to any record. */
export function ask(question: Question, limits: SearchLimits = DEFAULT_LIMITS): Found {
  const confirms = (example: Example) => holdsIn(question, example)
  const found = search({ model: question.model, ask: (encoder) => asked(encoder, question), confirms }, limits)
  if (found.kind !== 'example') return found
  const type = question.permission?.type
  const example = inShape(question.model, shrunk(found.example, confirms), type, confirms)
  const [wrong] = misfitsIn(question.model, example, type)
  if (wrong !== undefined)
    return { kind: 'unknown', because: `the example that was found does not fit the shape at ${wrong.at}: ${wrong.message}` }
  return { kind: 'example', example }
}

/** The question in the words of the solver. */
function asked(encoder: Encoder, { model, permission, when }: Question): { literals: Literal[]; around: Around } {
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
    ...plainChange(encoder, permission.field, around),
  ]
  return { literals, around }
}

/** Whether an update of an example changes the field. Of objects, only that it may. */
function isChanged(model: Model, { type, field }: Permission, { record = {}, becomes = {} }: Example): boolean {
  const known = field === undefined ? undefined : typeModel(model, type).fields[field]
  if (field === undefined || known === undefined || known.type === 'group' || known.type === 'other') return true
  return !sameValue(known, record[field], becomes[field])
}

/** Whether plain evaluation agrees that an example fits. */
function holdsIn({ model, permission, when, really }: Question, example: Example): boolean {
  const { record = {}, becomes } = example
  if (permission?.action === 'update' && !isChanged(model, permission, example)) return false
  const view = viewIn(model, when, example)
  const { me, now, links } = view.env()
  if (!predicate(when)(record, { me, now, links, context: newContext(), after: becomes ?? record })) return false
  return really?.(example) ?? true
}

/** The rules as the person of an example has them, with everything that a condition reads of the person. */
function viewIn(model: Model, when: ConditionNode, { me, records, now }: Example): InnerViewpoint {
  const links = linksOver(model, records as never)
  return viewpointOf(model, me && withMyLinks(reading(model, when), me, links), { now: new Date(now), links })
}

/** Where a person may do something that a guarantee excludes. */
export function against(model: Model, permission: Permission, provided: ConditionNode, unless: ConditionNode | undefined): Question {
  const when = [permitted(model, permission), provided, ...(unless === undefined ? [] : [notNode(unless)])]
  return {
    model,
    permission,
    when: { kind: 'allOf', of: when.filter((one) => one !== TRUE) },
    really: (example) => isAllowed(model, permission, example),
  }
}

/** Whether the person of an example may do it, outside of routines or within one. */
function isAllowed(model: Model, permission: Permission, example: Example): boolean {
  const { type, action, field } = permission
  const { record, becomes, records } = example
  return viewsOver(model, example, records, permission).some((one) => {
    const verdict = one.verdict(action as 'read', type, record as never, becomes as never)
    if (!verdict.allowed) return false
    return field === undefined || action !== 'read' || verdict.fields === undefined || verdict.fields.includes(field)
  })
}
