import { isMissing, type Row, toComparable } from '../../condition/index.js'
import { isGenerated, type Key, keyPlaces, sameValue, serverKey, type TypeModel } from '../../rulebook/index.js'
import { type AskersClause, fieldsLetBy, fieldsRefused, stampValues, verdictOf } from '../../viewpoint/index.js'
import { type FieldFault, InvalidError, RefusedError } from '../errors.js'
import { checkOpen, deny, holding, lettingAll, type Operation } from '../operation.js'
import { fitBeforeWriting, refusedGenerated } from './generated.js'
import { lacksStamp, written } from './read-back.js'
import { readSent, refusedStamps, supplies, unstamped, withoutNames } from './sent-fields.js'
import { unseenTargets } from './targets.js'

/** A record that has been judged and may be created. */
interface CreatePlan {
  readonly record: Row
  /** The clause that allows it. */
  readonly clause: string | undefined
  /** The fields that could be sent; undefined for all. */
  readonly fields: readonly string[] | undefined
}

/** Judges the finished record made from what was sent. @throws RefusedError, InvalidError */
export async function judgeCreate(op: Operation, type: TypeModel, sent: unknown, newKey: (type: string) => Key): Promise<CreatePlan> {
  const { asker, env } = op
  const rules = asker.rules(type.name, 'create')
  const { clauses } = rules
  if (clauses.length === 0) throw deny(type, 'create', 'refused')
  const { known, faults } = readSent(type, sent)
  const own = serverKey(type)
  const key = own === undefined ? undefined : known[own]
  const fields = withoutNames(known, (name) => name === own)
  const givesKey = own !== undefined && !isMissing(key, 'id')
  if (givesKey && !supplies(clauses, own)) faults.push({ field: own, problem: 'the server sets the key: leave it out' })
  const untold = refusedGenerated(type, clauses, known).filter((name) => name !== own)
  faults.push(...untold.map((field) => ({ field, problem: 'the database sets it, so leave it out' })))
  const stamps = stampValues(type, 'create', env)
  // A value that would be stamped anyway does not count as sent.
  const given = withoutNames(fields, (name) => Object.hasOwn(stamps, name) && sameValue(type.fields[name], fields[name], stamps[name]))
  const refuseFields = (counting: readonly AskersClause[]) => {
    const refusedFields = [
      ...fieldsRefused(type, fieldsLetBy(type, counting, 'create'), [], {}, unstamped(type, given, stamps)),
      ...refusedStamps(type, counting, given, stamps),
      ...(givesKey && !supplies(counting, own) ? [own] : []),
      ...refusedGenerated(type, counting, given),
    ]
    if (refusedFields.length > 0) throw new RefusedError(verdictOf(type, 'create', 'refused'), refusedFields)
  }
  if (faults.length === 0) refuseFields(clauses)
  if (lacksStamp(asker, given, stamps)) throw deny(type, 'create', 'refused')
  // A field that is cleared is left out, unless it may be null.
  const set = withoutNames(stamps, (name) => stamps[name] === null && type.fields[name]?.nullable !== true)
  const made = own === undefined || (!givesKey && isGenerated(type, own)) ? {} : { [own]: givesKey ? key : newKey(type.name) }
  const fitted = await fitBeforeWriting(type, { ...set, ...given, ...made })
  faults.push(...('faults' in fitted ? fitted.faults : faultsOfKey(type, fitted.record)))
  if (faults.length > 0 || 'faults' in fitted) throw new InvalidError(type.name, faults)
  const { record } = fitted
  await checkOpen(op, type, 'create', rules, record)
  const counting = await holding(op, clauses, record, lettingAll(clauses))
  if (counting.length === 0) throw deny(type, 'create', 'refused')
  refuseFields(counting)
  // Other records may still refer to the deleted record with this key. Only trusted code may restore it.
  const spent = givesKey && asker.viewpoint !== undefined && (await op.tables.wasRemoved(type.name, key as Key))
  if (spent) throw deny(type, 'create', 'refused')
  const unseen = await unseenTargets(op, type, { sent: given, after: record })
  if (unseen.length > 0) throw new InvalidError(type.name, unseen)
  return { record, clause: counting[0]?.clause?.title, fields: fieldsLetBy(type, counting, 'create') }
}

/** The fields of a key of several that hold what no key can have. */
function faultsOfKey(type: TypeModel, record: Row): FieldFault[] {
  if (serverKey(type) !== undefined) return []
  const sent = keyPlaces(type).filter(({ path: [name] }) => record[name] !== undefined || !isGenerated(type, name))
  const odd = sent.filter(({ path, type: held }) => toComparable(record[path[0]], held) === undefined)
  return odd.map(({ path }) => ({ field: path[0], problem: 'is not a valid part of a key' }))
}

/** Writes a judged record. Returns what the asker may see of it. */
export async function applyCreate(op: Operation, type: TypeModel, { record }: CreatePlan): Promise<Row> {
  return written(op, type, record, await op.tables.insert(type.name, record))
}
