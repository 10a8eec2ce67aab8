import {
  allOfNode,
  type Comparable,
  type ConditionNode,
  inSmallLetters,
  isMissing,
  type Row,
  TRUE,
  toComparable,
  valuesAt,
  waysAt,
} from '../../condition/index.js'
import { isSet, keyOf, type LinkModel, sameValue, serverKey, type TypeModel, typeModel } from '../../rulebook/index.js'
import type { FieldFault } from '../errors.js'
import { linksLastTest, type Operation } from '../operation.js'
import { keyIsOneOf, placeIs, placeIsOneOf } from '../read/key-conditions.js'
import { judgeAllRelying } from './read-set.js'

/** The sent values of fields that links join on, and what is known of the record. */
export interface Setting {
  readonly sent: Row
  /** The changed record. */
  readonly after: Row
  readonly before?: Row
  /** The fields of it that the asker sees; undefined for all. */
  readonly visible?: readonly string[] | undefined
}

/**
 * The links that were set to records that the asker does not see, which are treated like records that do not exist, unless the link allows
 * any target. A hidden stored value is judged as if it was sent, because the asker must not learn that it is stored.
 */
export async function unseenTargets(op: Operation, type: TypeModel, setting: Setting): Promise<FieldFault[]> {
  if (op.asker.viewpoint === undefined) return []
  const faults = new Map<string, FieldFault>()
  for (const link of Object.values(type.links)) {
    const fields = fieldsSet(type, link, setting)
    if (fields.length === 0) continue
    const unseen = link.by.length === 1 ? await unseenOfOne(op, link, setting) : await unseenOfSeveral(op, link, setting)
    if (unseen) for (const field of fields) faults.set(field, { field, problem: `there is no such ${link.to}` })
  }
  return [...faults.values()]
}

/** The record types whose records must be visible to a person who sets a link of this record. */
export function targetTypes(type: TypeModel): string[] {
  return Object.values(type.links).flatMap((link) => (link.target === 'visible' ? [link.to] : []))
}

/** The fields whose change moved the link. */
function fieldsSet(type: TypeModel, link: LinkModel, setting: Setting): string[] {
  if (!isSet(link, type)) return []
  const names = [...new Set(link.by.map(({ from }) => from.path[0] as string))]
  return names.filter((name) => name !== serverKey(type) && Object.hasOwn(setting.sent, name) && !isKept(type, name, setting))
}

function isKept(type: TypeModel, name: string, { sent, before = {}, visible }: Setting): boolean {
  return (visible?.includes(name) ?? true) && sameValue(type.fields[name], sent[name], before[name])
}

async function unseenOfOne(op: Operation, link: LinkModel, { sent, before = {}, visible }: Setting): Promise<boolean> {
  const [pair] = link.by
  if (pair === undefined) return false
  const field = pair.from.path[0] as string
  const old = visible?.includes(field) === false ? [] : listOf(before[field])
  const told = (key: Comparable) => (pair.to.ignoringCase ? inSmallLetters(key) : key)
  const wanted = new Set<Comparable>()
  for (const value of listOf(sent[field])) {
    const key = toComparable(value, pair.from.type)
    if (!isMissing(value, pair.from.type) && !old.includes(value) && key !== undefined) wanted.add(told(key))
  }
  if (wanted.size === 0) return false
  const seen = await visibleAmong(op, link.to, placeIsOneOf(pair.to, [...wanted]))
  const found = new Set(seen.flatMap((row) => [...valuesAt(row, pair.to)]))
  return [...wanted].some((key) => !found.has(key))
}

/** If one of the fields is missing, the link leads nowhere. */
async function unseenOfSeveral(op: Operation, link: LinkModel, { after }: Setting): Promise<boolean> {
  const ways = waysAt(
    after,
    link.by.map(({ from }) => from),
  )
  for (const way of ways) {
    const where = allOfNode(link.by.map(({ to }, at) => placeIs(to, way[at] as Comparable)))
    if ((await visibleAmong(op, link.to, where)).length === 0) return true
  }
  return false
}

/** The records among these that the asker sees. In a write they are locked first and judged by what is read afterwards. */
async function visibleAmong(op: Operation, to: string, where: ConditionNode): Promise<Row[]> {
  const readable = op.asker.readable(typeModel(op.asker.model, to).name)
  const { relied, tables, env } = op
  if (relied === undefined) return (await tables.select(to, { where: allOfNode([readable, where]), now: env.now })).map(({ row }) => row)
  // Invisible records are neither locked nor judged, so they take as long as missing ones.
  const seen = await tables.select(to, { where: allOfNode([readable, where]), now: env.now })
  if (seen.length === 0) return []
  const target = typeModel(op.asker.model, to)
  const keys = seen.map(({ row }) => keyOf(target, row))
  const rows = (await tables.select(to, { where: allOfNode([keyIsOneOf(target, keys), where]), now: env.now, lock: 'share' })).map(
    ({ row }) => row,
  )
  if (readable === TRUE) return rows
  const answers = await judgeAllRelying(op, relied, linksLastTest(readable), rows)
  return rows.filter((_, at) => answers[at])
}

function listOf(value: unknown): unknown[] {
  return Array.isArray(value) ? value : [value]
}
