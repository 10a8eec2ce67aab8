import { describeOdd } from '../condition/describe.js'
import { joinProblem } from '../condition/json.js'
import type { LinkNode, PlaceNode } from '../condition/nodes.js'
import { RulebookError, unknownName } from './error.js'
import { serverKey } from './keys.js'
import type { Field, Fields } from './shape.js'
import type { Link, LinkOptions } from './types.js'

const LINK: unique symbol = Symbol.for('pachter.link')

/** A link in the author's definition. */
interface LinkDraft {
  readonly arity: 'one' | 'many'
  readonly type: unknown
  readonly by: unknown
  readonly options: unknown
}

/** A link of a record type or of me. */
export interface LinkModel extends LinkNode {
  readonly many: boolean
  /** Whether a person who sets the link must see the record that it leads to. */
  readonly target: 'visible' | 'any'
  /** What happens to the records that hold the link when its target is deleted. */
  readonly onDelete?: 'refuse' | 'delete' | 'unlink' | 'follow'
}

/**
 * A link to one record: `toOne('plot', 'plotId')` leads to the plot whose key is in `plotId`; over other fields,
 * `toOne('site', { code: 'siteCode' })` leads to the site whose `code` equals this record's `siteCode`, and several pairs
 * must all be equal.
 *
 * @example
 * entry: { shape: Entry, key: 'id', links: { plot: toOne('plot', 'plotId') } }
 */
export function toOne<const T extends string, const Mine extends string>(
  type: T,
  by: Mine,
  options?: LinkOptions,
): Link<'one', T, Mine, never>
export function toOne<const T extends string, const By extends { readonly [theirs: string]: string }>(
  type: T,
  by: By,
  options?: LinkOptions,
): Link<'one', T, By[keyof By], keyof By & string>
export function toOne(type: unknown, by: unknown, options?: unknown): never {
  return drafted({ arity: 'one', type, by, options })
}

/**
 * A link to many records: `toMany('share', 'plotId')` leads to the shares that hold this record's key in `plotId`; over
 * other fields, `toMany('member', { id: 'assigneeIds' })` leads to the members whose `id` is in this record's list
 * `assigneeIds`.
 *
 * @example
 * plot: { shape: Plot, key: 'id', links: { shares: toMany('share', 'plotId') } }
 */
export function toMany<const T extends string, const Theirs extends string>(
  type: T,
  by: Theirs,
  options?: LinkOptions,
): Link<'many', T, never, Theirs>
export function toMany<const T extends string, const By extends { readonly [theirs: string]: string }>(
  type: T,
  by: By,
  options?: LinkOptions,
): Link<'many', T, By[keyof By], keyof By & string>
export function toMany(type: unknown, by: unknown, options?: unknown): never {
  return drafted({ arity: 'many', type, by, options })
}

function drafted(draft: LinkDraft): never {
  return Object.freeze(Object.create(null, { [LINK]: { value: draft } })) as never
}

/** The possible targets of a link. */
export interface Reachable {
  readonly keys: readonly string[]
  readonly fields: Fields
}

/** The pairs of fields that a link joins on: this side's and the other's. */
export interface LinkPairs {
  readonly draft: LinkDraft
  readonly to: string
  readonly pairs: readonly { readonly mine: string; readonly theirs: string }[]
  /** The `onDelete` option, if given. */
  readonly onDelete?: unknown
}

/** Reads the fields that a link joins on. @throws RulebookError */
export function readPairs(given: unknown, at: string, own: Reachable, types: { readonly [name: string]: Reachable }): LinkPairs {
  const draft = typeof given === 'object' && given !== null ? (given as { [LINK]?: LinkDraft })[LINK] : undefined
  if (draft === undefined) throw new RulebookError(at, `a link is needed, as in toOne('plot', 'plotId'), not ${describeOdd(given)}`)
  const { type, by, arity } = draft
  if (typeof type !== 'string' || !Object.hasOwn(types, type))
    throw new RulebookError(at, unknownName('record type', type, Object.keys(types)))
  const other = types[type] as Reachable
  const known = (name: unknown, fields: Fields, of: string): string => {
    if (typeof name !== 'string' || !Object.hasOwn(fields, name))
      throw new RulebookError(at, `${of}: ${unknownName('field', name, Object.keys(fields))}`)
    return name
  }
  const { onDelete } = (draft.options ?? {}) as { onDelete?: unknown }
  const said = onDelete === undefined ? {} : { onDelete }
  const mine = (name: unknown) => known(name, own.fields, at.split('.')[0] as string)
  const theirs = (name: unknown) => known(name, other.fields, type)
  if (typeof by === 'string') {
    const { keys } = arity === 'one' ? other : own
    const [key] = keys
    if (key === undefined || keys.length > 1) throw new RulebookError(at, severalKeys(arity, type, keys))
    return { draft, to: type, ...said, pairs: [arity === 'one' ? { mine: mine(by), theirs: key } : { mine: key, theirs: theirs(by) }] }
  }
  if (typeof by !== 'object' || by === null || Array.isArray(by) || Object.keys(by).length === 0)
    throw new RulebookError(at, 'say which fields the link joins on: a field, or { theirField: "myField" }')
  return { draft, to: type, ...said, pairs: Object.entries(by).map(([their, my]) => ({ theirs: theirs(their), mine: mine(my) })) }
}

function severalKeys(arity: 'one' | 'many', type: string, keys: readonly string[]): string {
  const pairs = keys.map((key) => (arity === 'one' ? `${key}: 'myField'` : `theirField: '${key}'`))
  const words = arity === 'one' ? `the key of ${type}` : 'the key'
  return `${words} has several fields (${keys.join(', ')}): name each, as in to${arity === 'one' ? 'One' : 'Many'}('${type}', { ${pairs.join(', ')} })`
}

/**
 * Whether fields of one record type hold the key of another, so that they are affected when that one is deleted: the link joins on exactly
 * its key, and on other fields than the own key as a whole.
 */
export function holdsKey(
  joined: { readonly mine: readonly string[]; readonly theirs: readonly string[] },
  own: Pick<Reachable, 'keys'>,
  other: Pick<Reachable, 'keys'>,
): boolean {
  return sameNames(joined.theirs, other.keys) && !sameNames(joined.mine, own.keys)
}

function sameNames(some: readonly string[], others: readonly string[]): boolean {
  return some.length === others.length && others.every((name) => some.includes(name))
}

/** Creates a link from the pairs of fields that it joins on. @throws RulebookError */
export function readLink(
  name: string,
  { draft, to, pairs }: LinkPairs,
  at: string,
  { mine, theirs, removal }: { readonly mine: Places; readonly theirs: Places; readonly removal: string | undefined },
): LinkModel {
  const { ignoringCase, ...options } = readOptions(draft.options, at)
  const by = pairs.map((pair) => {
    const from = mine(pair.mine)
    const there = theirs(pair.theirs)
    if (from === undefined || there === undefined)
      throw new RulebookError(
        at,
        `"${from === undefined ? pair.mine : pair.theirs}" holds neither a single value nor a list of values, so a link cannot join on it`,
      )
    if (ignoringCase && !isFoldable(from, there))
      throw new RulebookError(at, `ignoringCase: "${pair.mine}" and "${pair.theirs}" have to be texts, and one of them at most a list`)
    const problem = joinProblem(there, { kind: 'field', of: 'record', ...from })
    if (problem !== undefined) throw new RulebookError(at, `"${pair.theirs}" and "${pair.mine}": ${problem}`)
    if (draft.arity === 'one' && (from.list || there.list))
      throw new RulebookError(at, `"${from.list ? pair.mine : pair.theirs}" is a list, which leads to many: use toMany`)
    const how = ignoringCase ? { ignoringCase: true as const } : {}
    return Object.freeze({ to: Object.freeze({ ...there, ...how }), from: Object.freeze({ ...from, ...how }) })
  })
  const removed = removal === undefined ? {} : { removal: theirs(removal) as PlaceNode }
  return Object.freeze({ name, to, many: draft.arity === 'many', by: Object.freeze(by), ...removed, ...options })
}

/**
 * Whether a person sets the link by writing a field of its record, and so must see the target: true for a link to one, and for each record
 * in a list of ids. Other links follow from the values of both records.
 */
export function isSet({ many, by, target }: LinkModel, own: Pick<Reachable, 'keys'>): boolean {
  if (target === 'any' || (many && !by.some(({ from }) => from.list))) return false
  return by.some(({ from }) => from.path[0] !== serverKey(own))
}

/** The place of a field; undefined if the field cannot be compared. */
export type Places = (field: string) => PlaceNode | undefined

/** The place of a field in a record. A blank id there counts as missing. */
export function placesOf({ fields, ids }: { readonly fields: Fields; readonly ids: readonly string[] }): Places {
  return (name) => {
    const { type, list } = fields[name] as Field
    if (type === 'group' || type === 'other') return undefined
    return Object.freeze({
      path: Object.freeze([name]),
      type: type === 'text' && ids.includes(name) ? 'id' : type,
      ...(list ? { list } : {}),
    })
  }
}

function isFoldable(from: PlaceNode, to: PlaceNode): boolean {
  return [from, to].every(({ type }) => type === 'text' || type === 'id') && !(from.list && to.list)
}

type ReadOptions = Pick<LinkModel, 'target' | 'onDelete'> & { readonly ignoringCase?: true }

function readOptions(given: unknown, at: string): ReadOptions {
  if (given === undefined) return { target: 'visible' }
  if (typeof given !== 'object' || given === null)
    throw new RulebookError(at, 'the options have to be an object with target, onDelete and ignoringCase')
  const words: { readonly [option: string]: readonly string[] } = {
    target: ['visible', 'any'],
    onDelete: ['refuse', 'delete', 'unlink', 'follow'],
  }
  const { ignoringCase, ...others } = given as { ignoringCase?: unknown }
  if (ignoringCase !== undefined && typeof ignoringCase !== 'boolean') throw new RulebookError(at, 'ignoringCase has to be true or false')
  for (const [option, value] of Object.entries(others)) {
    const known = Object.hasOwn(words, option) ? words[option] : undefined
    if (known === undefined) throw new RulebookError(at, unknownName('option', option, [...Object.keys(words), 'ignoringCase']))
    if (value !== undefined && !known.includes(value as string)) throw new RulebookError(at, unknownName(option, value, known))
  }
  const { target, onDelete } = given as Partial<LinkModel>
  return { target: target ?? 'visible', ...(onDelete ? { onDelete } : {}), ...(ignoringCase ? { ignoringCase: true } : {}) }
}
