import { type Env, isMissing, type Row } from '../condition/index.js'
import { type Key, keyOf, type Model, sameValue, serverKey, type TypeModel, typeModel } from '../rulebook/index.js'
import { changedFields, fieldsLetBy, fieldsRefused, visibleFields } from './fields.js'
import { counts, holds, messageOf, type PersonalClause, type PersonalRules } from './specialise.js'
import { stampedRecord, stampValues } from './stamps.js'
import { fieldMessage, type Outcome, type Verdict, verdictOf } from './verdict.js'

/** What judging needs from a viewpoint. */
interface View {
  readonly model: Model
  rules(type: string, action: string): PersonalRules
  decideWithoutRecord(type: string, action: string): Outcome | undefined
}

/** The question: an action on a record and, for an update, the changed record. */
export interface Question {
  readonly action: string
  readonly type: string
  readonly record: Row
  readonly becomes: Row | undefined
}

/** Judges a question by a person's rules, in the order in which people may learn the answer. */
export function judge(view: View, { action, type: typeName, record: given, becomes }: Question, at: Env): Verdict {
  const type = typeModel(view.model, typeName)
  const record = action === 'create' ? stampedRecord(type, given, at) : given
  const decided = view.decideWithoutRecord(typeName, action)
  const key = keyIn(type, record)
  const refused = (message?: string) => verdictOf(type, action, 'refused', key, message === undefined ? {} : { message })
  if (decided !== undefined) return verdictOf(type, action, decided, key)
  if (action !== 'create' && !holds(view.rules(typeName, 'read'), record, at)) return verdictOf(type, action, 'not found', key)
  const mine = view.rules(typeName, action)
  const after: Env = { ...at, after: becomes }
  if (!holds(mine.open, record, after)) return refused(messageOf(mine, record, after))
  const moves = action === 'update' && becomes !== undefined
  if (moves && !holds(mine.gate, becomes, after)) return refused(messageOf(mine, becomes, after))
  const holding = mine.clauses.filter((clause) => (becomes === undefined ? holds(clause, record, at) : counts(clause, record, becomes, at)))
  if (holding.length === 0 || (action === 'create' && lacksStamp(type, given, at))) return refused()
  const fields = fieldsLetBy(type, holding, action)
  const refusedFields =
    action === 'create' ? sentBeyond(type, holding, given, at) : changedBeyond(view, type, { record, becomes, fields }, at)
  if (refusedFields.length > 0) return refused(fieldMessage(action, refusedFields))
  return verdictOf(type, action, 'allowed', key, { clause: holding[0]?.clause.title, fields })
}

/** Stamped fields with another value than the stamp, and fields that the database sets, although no clause allows to send them. */
function sentBeyond(type: TypeModel, holding: readonly PersonalClause[], given: Row, at: Env): string[] {
  const untold = (type.generated ?? []).filter(
    (name) =>
      name !== serverKey(type) && !isMissing(given[name], 'other') && !holding.some(({ clause }) => clause.overriding?.includes(name)),
  )
  const beyond = Object.entries(stampValues(type, 'create', at)).flatMap(([name, stamp]) => {
    if (isMissing(given[name], 'other') || holding.some(({ clause }) => clause.overriding?.includes(name))) return []
    return sameValue(type.fields[name], given[name], stamp) ? [] : [name]
  })
  return [...untold, ...beyond]
}

/** Whether a stamp has no value, and no other value was given. */
function lacksStamp(type: TypeModel, given: Row, at: Env): boolean {
  const stamps = Object.entries(stampValues(type, 'create', at))
  return stamps.some(([name, stamp]) => stamp === undefined && isMissing(given[name], 'other'))
}

/** The result of a change, and the fields that may change. */
interface Changing {
  readonly record: Row
  readonly becomes: Row | undefined
  readonly fields: readonly string[] | undefined
}

/** The changed fields that the clauses do not allow. */
function changedBeyond(view: View, type: TypeModel, { record, becomes, fields }: Changing, at: Env): string[] {
  if (becomes === undefined) return []
  if (keyIn(type, record) !== keyIn(type, becomes)) return type.keys.filter((name) => record[name] !== becomes[name])
  const visible = visibleFields(type, view.rules(type.name, 'read').clauses, record, at)
  const changes = changedFields(type, record, becomes).map((name) => [name, becomes[name]])
  return fieldsRefused(type, fields, visible, record, Object.fromEntries(changes))
}

function keyIn(type: TypeModel, record: Row): Key | undefined {
  const key: unknown = keyOf(type, record)
  return typeof key === 'string' || typeof key === 'number' ? key : undefined
}
