import {
  allOfNode,
  bindRecord,
  type ConditionNode,
  type Env,
  FALSE,
  followsLinks,
  linksLast,
  perNode,
  perNodes,
  predicate,
  type Row,
  simplify,
  TRUE,
} from '../condition/index.js'
import { isKey, type Key, keyOf, type TypeModel, typeModel } from '../rulebook/index.js'
import { type AskersClause, fieldsLetBy, holds, isLimited, type Outcome, testOf, verdictOf, withFields } from '../viewpoint/index.js'
import type { Asker, AskersRules } from './asker-types.js'
import { type DeniedError, denied } from './errors.js'
import type { PlaceValue, Selection, Tables } from './tables.js'
import { named } from './write/nested.js'
import { judgeRelying, type Relied } from './write/read-set.js'

/** A condition as a function that follows links last. */
export const linksLastTest = perNode((node) => predicate(linksLast(node)))

/** One call: the tables (within a transaction, for a write), the asker's rules, and the time. */
export interface Operation {
  readonly tables: Tables
  readonly asker: Asker
  readonly env: Env
  /** For a write: the linked records that its rules were judged on. */
  readonly relied?: Relied
  /** How the record itself is locked. Default: for update. */
  readonly lock?: 'share'
}

/** A condition, compiled when it is evaluated for record after record. */
interface Judgeable {
  readonly when: ConditionNode
}

/** Judges conditions on one record. Other records are read as stored, in one statement. */
export async function judge(op: Operation, conditions: readonly Judgeable[], record: Row, after?: Row): Promise<boolean[]> {
  if (op.relied !== undefined) {
    const answers: boolean[] = []
    for (const asked of conditions) {
      // Gates and vetoes mostly are.
      if (asked.when.kind === 'constant') {
        answers.push(asked.when.value)
        continue
      }
      const test = followsLinks(asked.when) ? linksLastTest(asked.when) : testOf({ test: undefined, ...asked })
      answers.push(await judgeRelying(op, op.relied, test, record, after))
    }
    return answers
  }
  const env = { ...op.env, after }
  const answers: (boolean | ConditionNode)[] = conditions.map((asked) => {
    if (!followsLinks(asked.when)) return holds({ test: undefined, ...asked }, record, env)
    const rest = bindRecord(asked.when, record, after)
    return rest.kind === 'constant' ? rest.value : rest
  })
  const open = answers.filter((answer): answer is ConditionNode => typeof answer !== 'boolean')
  const found = open.length === 0 ? [] : await op.tables.test(open, op.env.now)
  let next = 0
  return answers.map((answer) => (typeof answer === 'boolean' ? answer : (found[next++] as boolean)))
}

/** The conditions that hold on a record, until one is enough. */
export async function holding<T extends Judgeable>(
  op: Operation,
  conditions: readonly T[],
  record: Row,
  enough: (one: T) => boolean = () => true,
): Promise<T[]> {
  return upTo(op, conditions, enough, (some) => judge(op, some, record))
}

/**
 * The conditions that hold. In a write they are evaluated one after the other, those without links first, until one is enough, so that
 * unneeded records are not read and locked. Otherwise all are evaluated in one statement.
 */
export async function upTo<T extends Judgeable>(
  op: Operation,
  conditions: readonly T[],
  enough: (one: T) => boolean,
  ask: (some: readonly T[]) => Promise<readonly boolean[]>,
): Promise<T[]> {
  if (op.relied === undefined) {
    const answers = await ask(conditions)
    return conditions.filter((_, at) => answers[at])
  }
  const found: T[] = []
  const inTurn = [...conditions.filter(({ when }) => !followsLinks(when)), ...conditions.filter(({ when }) => followsLinks(when))]
  for (const one of inTurn) {
    const [holds] = await ask([one])
    if (!holds) continue
    found.push(one)
    if (enough(one)) break
  }
  return conditions.filter((one) => found.includes(one))
}

/** Whether a clause alone allows everything that any of the clauses allows. */
export function lettingAll(clauses: readonly AskersClause[]): (one: AskersClause) => boolean {
  const supplied = clauses.some(({ clause }) => clause?.overriding !== undefined)
  return ({ clause }) => clause?.fields === undefined && !supplied
}

/** A record as the asker sees it. */
export interface Seen {
  /** The whole record. */
  readonly row: Row
  /** The fields that they see; undefined for all. */
  readonly visible: readonly string[] | undefined
  /** The record with these fields. */
  readonly shown: Row
  /** The results of the requested flags. */
  readonly flags: readonly boolean[]
  /** Its place in the order, if requested. */
  readonly place?: readonly PlaceValue[]
}

/** What must hold on the records that the asker may see, and of which the rest holds too. The same rules are the same node. */
export function readableWhere(op: Operation, typeName: string, rest: readonly ConditionNode[]): ConditionNode {
  const readable = op.asker.readable(typeName)
  const others = rest.filter((one) => one !== TRUE)
  return others.length === 0 ? readable : allOf([readable, ...others])
}

const allOf = perNodes((nodes) => simplify(allOfNode(nodes)))

/** Fetches records that the asker may see in one query, with the visible fields of each. */
export async function see(op: Operation, typeName: string, selection: Omit<Selection, 'now'>): Promise<Seen[]> {
  const type = typeModel(op.asker.model, typeName)
  const read = op.asker.rules(typeName, 'read').clauses
  const limited = isLimited(read)
  const flags = [...(limited ? read.map(({ when }) => when) : []), ...(selection.flags ?? [])]
  const where = readableWhere(op, typeName, [selection.where])
  if (where === FALSE) return []
  const found = await op.tables.select(typeName, { ...selection, where, now: op.env.now, ...(flags.length > 0 ? { flags } : {}) })
  return found.map(({ row, flags: answers, place }) => {
    const counting = limited ? read.filter((_, at) => answers[at]) : read
    return { ...asSeen(type, row, counting, limited ? answers.slice(read.length) : answers), ...(place ? { place } : {}) }
  })
}

/** A record with the fields that these read clauses make visible. */
function asSeen(type: TypeModel, row: Row, counting: readonly AskersClause[], flags: readonly boolean[] = []): Seen {
  const visible = fieldsLetBy(type, counting)
  return { row, visible, shown: withFields(type, named(type, row), visible), flags }
}

/** The refusal of an action. */
export function deny(type: TypeModel, action: string, outcome: Outcome, key?: Key): DeniedError {
  return denied(verdictOf(type, action, outcome, key))
}

/** A given record as the asker sees it; undefined if they do not. */
export async function seenAs(op: Operation, type: TypeModel, row: Row): Promise<Seen | undefined> {
  const read = op.asker.rules(type.name, 'read').clauses
  const [readable] = await judge(op, [{ when: op.asker.readable(type.name) }], row)
  if (!readable) return undefined
  return asSeen(type, row, isLimited(read) ? await holding(op, read, row, lettingAll(read)) : read)
}

/** A stored record as the asker sees it; undefined if they do not. In a write it is locked first and judged by what is read afterwards. */
export async function seeOne(op: Operation, type: TypeModel, key: Key): Promise<Seen | undefined> {
  if (op.relied === undefined) return (await see(op, type.name, { where: TRUE, key, limit: 1 }))[0]
  const [found] = await op.tables.select(type.name, { where: TRUE, key, now: op.env.now, limit: 1, lock: op.lock ?? 'update' })
  return found && seenAs(op, type, found.row)
}

/** The stored record, if the asker may see it. A key that no record can have is treated like one that no record has. */
export async function visible(op: Operation, type: TypeModel, action: string, key: Key): Promise<Seen> {
  const record = isKey(type, key) ? await seeOne(op, type, key) : undefined
  if (record === undefined) throw deny(type, action, 'not found', key)
  return record
}

/** Refuses an action by a gate or veto, with its message. */
export async function checkOpen(
  op: Operation,
  type: TypeModel,
  action: string,
  rules: AskersRules,
  record: Row,
  after?: Row,
): Promise<void> {
  const [open] = await judge(op, [rules.open], record, after)
  if (!open) throw await closed(op, type, action, rules, record, after)
}

/** Refuses an update that would move a record out of a gate, or into it. */
export async function checkGateAfter(op: Operation, type: TypeModel, rules: AskersRules, after: Row): Promise<void> {
  const [open] = await judge(op, [rules.gate], after, after)
  if (!open) throw await closed(op, type, 'update', rules, after, after)
}

async function closed(op: Operation, type: TypeModel, action: string, rules: AskersRules, record: Row, after?: Row): Promise<DeniedError> {
  const [standing] = await upTo(
    op,
    rules.messages,
    () => true,
    (some) => judge(op, some, record, after),
  )
  const key = action === 'create' ? undefined : keyOf(type, record)
  return denied(verdictOf(type, action, 'refused', key, { message: standing?.message }))
}
