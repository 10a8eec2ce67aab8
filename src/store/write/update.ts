import {
  allOfNode,
  anyOfNode,
  asksAfter,
  bindAfter,
  type ConditionNode,
  perNodes,
  type Row,
  simplify,
  TRUE,
} from '../../condition/index.js'
import { isGenerated, isKeyField, type Key, sameValue, type TypeModel } from '../../rulebook/index.js'
import { type AskersClause, fieldsLetBy, fieldsRefused, stampValues, verdictOf } from '../../viewpoint/index.js'
import { InvalidError, RefusedError } from '../errors.js'
import { type Limits, overLimits } from '../limits.js'
import { checkGateAfter, checkOpen, deny, holding, judge, lettingAll, type Operation, type Seen, upTo, visible } from '../operation.js'
import { asStored, fitRecord } from './fit.js'
import { changedUnder } from './generated.js'
import { mergePatch, named, withUnnamed } from './nested.js'
import { answer, lacksStamp, written } from './read-back.js'
import { defined, difference, faultsToTell, readSent, refusedStamps, unstamped, withoutNames } from './sent-fields.js'
import { unseenTargets } from './targets.js'

/** An update that has been judged and may be written. */
interface UpdatePlan {
  readonly key: Key
  readonly before: Row
  readonly after: Row
  /** What to write; empty if nothing would change. */
  readonly changed: Row
  /** The rules that allow it, evaluated again in the statement that writes. */
  readonly where: ConditionNode
  /** The clause that allows it. */
  readonly clause: string | undefined
  /** The fields that the counting clauses allow to change; undefined for all. */
  readonly fields: readonly string[] | undefined
}

/** The options of an update. */
export interface UpdateOptions {
  /** Refuses a change based on an outdated version. The error contains the record as the asker sees it, read under the lock. */
  readonly match?: ((shown: Row) => Promise<void>) | undefined
  /** Merges the sent values into the stored objects (RFC 7396) instead of replacing them. */
  readonly merge?: boolean
  /** A field that is merged into must stay within these limits. */
  readonly limits?: Required<Limits> | undefined
  /** The record, if it was fetched and locked already. */
  readonly seen?: Seen
}

/** Judges an update on the record before and after the change. @throws NotFoundError, RefusedError, InvalidError */
export async function judgeUpdate(
  op: Operation,
  type: TypeModel,
  key: Key,
  sent: unknown,
  { match, merge = false, seen, limits }: UpdateOptions = {},
): Promise<UpdatePlan> {
  const { asker, env } = op
  const { row: before, visible: visibleNow, shown } = seen ?? (await visible(op, type, 'update', key))
  await match?.(shown)
  const rules = asker.rules(type.name, 'update')
  // Conditions on the changed record are judged when it is known.
  if (!asksAfter(rules.open.when)) await checkOpen(op, type, 'update', rules, before)
  const enough = lettingAll(rules.clauses)
  const early = rules.clauses.filter(({ when }) => !asksAfter(when))
  const held = await holding(op, early, before, enough)
  // Evaluation stopped at one clause. The others may be needed if that one does not hold afterwards.
  const hopeful = held.some(enough) ? rules.clauses : rules.clauses.filter((clause) => asksAfter(clause.when) || held.includes(clause))
  if (hopeful.length === 0) throw deny(type, 'update', 'refused', key)
  const { known, faults } = readSent(type, sent)
  const isFixed = (name: string) => isKeyField(type, name) || (asker.viewpoint !== undefined && isGenerated(type, name))
  const unmerged = withoutNames(known, isFixed)
  const given = merge ? mergePatch(type, before, unmerged) : unmerged
  if (merge && limits !== undefined) checkMerged(type, { key, before, given, visible: visibleNow }, limits)
  const bare = named(type, before)
  const stamps = stampValues(type, 'update', env)
  const repeated = (name: string) => (visibleNow?.includes(name) ?? true) && sameValue(type.fields[name], bare[name], given[name])
  // A sent stamped field counts only if a clause allows it; the stored value is not a change.
  const changes = withoutNames(given, (name) => Object.hasOwn(stamps, name) && repeated(name))
  const refuseFields = (clauses: readonly AskersClause[]) => {
    const refusedFields = [
      ...fieldsRefused(type, fieldsLetBy(type, clauses), visibleNow, bare, unstamped(type, changes, stamps)),
      ...refusedStamps(type, clauses, changes, stamps),
    ]
    if (refusedFields.length > 0) throw new RefusedError(verdictOf(type, 'update', 'refused', key), refusedFields)
  }
  refuseFields(hopeful)
  const moved = Object.keys(known).filter((name) => isFixed(name) && !isRepeated(type, name, { known, before, visible: visibleNow }))
  const why = (name: string) => (isKeyField(type, name) ? 'the key cannot be changed' : 'the database sets it, so leave it out')
  faults.push(...moved.map((field) => ({ field, problem: why(field) })))
  const asked = asStored(type, { ...bare, ...changes })
  const idle = Object.keys(difference(type, bare, asked)).length === 0
  if (!idle && lacksStamp(asker, changes, stamps)) throw deny(type, 'update', 'refused', key)
  const fitted = await fitRecord(type, idle ? asked : asStored(type, { ...bare, ...defined(stamps), ...changes }))
  if ('faults' in fitted) faults.push(...(await faultsToTell(type, fitted.faults, { changes, bare, visible: visibleNow })))
  if (faults.length > 0) throw new InvalidError(type.name, faults)
  // If it fails because of hidden values, the asker learns only that.
  if ('faults' in fitted) throw deny(type, 'update', 'refused', key)
  const after = withUnnamed(type, before, fitted.record)
  await checkOpen(op, type, 'update', rules, before, after)
  await checkGateAfter(op, type, rules, after)
  const counting = await countingClauses(op, hopeful, before, after)
  if (counting.length === 0) throw deny(type, 'update', 'refused', key)
  refuseFields(counting)
  const unseen = await unseenTargets(op, type, { sent: changes, after, before, visible: visibleNow })
  if (unseen.length > 0) throw new InvalidError(type.name, unseen)
  const rule = ruleOf([asker.readable(type.name), rules.open.when, ...counting.map((clause) => clause.when)])
  const clause = counting[0]?.clause?.title
  return {
    key,
    clause,
    fields: fieldsLetBy(type, counting),
    before,
    after,
    changed: difference(type, before, after),
    where: asksAfter(rule) ? simplify(bindAfter(rule, after)) : rule,
  }
}

/** What must hold on a record: it is readable, open, and one of the clauses holds. */
const ruleOf = perNodes(([readable, open, ...clauses]) =>
  simplify(allOfNode([readable as ConditionNode, open as ConditionNode, anyOfNode(clauses)])),
)

/** Whether a value is sent as the asker sees it stored. */
function isRepeated(
  type: TypeModel,
  name: string,
  { known, before, visible }: { readonly known: Row; readonly before: Row; readonly visible: readonly string[] | undefined },
): boolean {
  return (isKeyField(type, name) || (visible?.includes(name) ?? true)) && sameValue(type.fields[name], known[name], before[name])
}

/** Nobody can grow a record beyond what one may send by many small changes. The size of hidden data is not revealed. */
function checkMerged(
  type: TypeModel,
  {
    key,
    before,
    given,
    visible,
  }: { readonly key: Key; readonly before: Row; readonly given: Row; readonly visible: readonly string[] | undefined },
  limits: Required<Limits>,
): void {
  const grown = Object.entries(given).filter(([name]) => overLimits({ [name]: before[name] }, limits).length === 0)
  const faults = overLimits(Object.fromEntries(grown), limits)
  if (faults.some(({ field }) => visible?.includes(field) === false)) throw deny(type, 'update', 'refused', key)
  if (faults.length > 0) throw new InvalidError(type.name, faults)
}

/**
 * Writes a judged update. The rules are evaluated again in the same statement, unless other records that were judged together were written
 * since.
 */
export async function applyUpdate(op: Operation, type: TypeModel, plan: UpdatePlan, how: 'ask again' | 'as judged'): Promise<Row> {
  const { key, before, after, changed, where } = plan
  if (Object.keys(changed).length === 0) return answer(op, type, before)
  const kept = await op.tables.update(type.name, changed, { key, where: how === 'ask again' ? where : TRUE, now: op.env.now })
  if (kept === undefined) throw deny(type, 'update', 'refused', key)
  const odd = op.asker.viewpoint === undefined ? undefined : changedUnder(op.asker.model, type, after, kept)
  if (odd !== undefined) throw new Error(`rules of update depend on ${type.name}.${odd}, which the database changed with the update`)
  return written(op, type, after, kept)
}

/** The clauses that hold on the record before the change and, themselves or by their `afterwards`, after it. */
async function countingClauses(op: Operation, clauses: readonly AskersClause[], before: Row, after: Row): Promise<AskersClause[]> {
  return upTo(op, clauses, lettingAll(clauses), async (some) => {
    const holdBefore = await judge(op, some, before, after)
    const later = some.filter((_, at) => holdBefore[at]).map((clause) => clause.afterwards ?? clause)
    const holdAfter = await judge(op, later, after, after)
    return holdBefore.map((held) => held && holdAfter.shift() === true)
  })
}
