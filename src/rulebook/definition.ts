import { isTimeZone } from '../condition/day.js'
import { describeOdd } from '../condition/describe.js'
import { ACTIONS } from './actions.js'
import { RulebookError, unknownName } from './error.js'
import { readGenerated } from './generated.js'
import { holdsKey, type LinkPairs, type Places, placesOf, type Reachable, readLink, readPairs } from './links.js'
import type { MeModel, Model, TypeModel } from './model.js'
import { referencesTo } from './references.js'
import { readRoles } from './roles.js'
import { type Field, type Fields, readShape } from './shape.js'
import type { Action, Shape } from './types.js'

const NAME = /^[A-Za-z_][A-Za-z0-9_]*$/

/** Whether a record type, standing or person may have this name. */
export function isName(name: string): boolean {
  return NAME.test(name) && !(name in Object.prototype)
}

interface UnreadDefinition {
  readonly me?: {
    readonly shape?: unknown
    readonly key?: unknown
    readonly links?: unknown
    readonly roles?: unknown
    readonly timeZone?: unknown
  }
  readonly records?: { readonly [type: string]: unknown }
}

/** Reads the argument of `rulebook`. @throws RulebookError */
export function readDefinition(given: unknown): Model {
  const definition = plainObject(given, 'rulebook', ['me', 'records']) as UnreadDefinition
  const me = plainObject(definition.me, 'me', ['shape', 'key', 'links', 'roles', 'timeZone']) as NonNullable<UnreadDefinition['me']>
  const fields = readShape(me.shape as Shape, 'me')
  const key = keyField(me.key, fields, 'me')
  const unlinked: Record<string, TypeModel & { unread: object }> = {}
  for (const [name, unread] of Object.entries(plainObject(definition.records, 'records'))) {
    if (!isName(name)) throw new RulebookError(name, 'a record type needs a name of letters, digits and _')
    const record = plainObject(unread, name, ['shape', 'key', 'times', 'days', 'links', 'removal', 'generated', 'actions']) as {
      shape: Shape
      key?: unknown
      times?: unknown
      days?: unknown
      links?: unknown
      removal?: unknown
      generated?: unknown
      actions?: unknown
    }
    const found = readShape(record.shape, name, listOfNames(record.times, `${name}.times`), listOfNames(record.days, `${name}.days`))
    const keys = keyFields(record.key, found, name)
    const links = plainObject(record.links ?? {}, `${name}.links`)
    unlinked[name] = {
      name,
      shape: record.shape,
      keys,
      fields: found,
      ids: keys,
      ...readRemoval(record.removal, keys, found, name),
      ...readGenerated(record.generated, found, `${name}.generated`, record.removal as string | undefined),
      links: {},
      actions: readActions(record.actions, name),
      standings: Object.freeze({}),
      unread: links,
    }
  }
  const myLinks = plainObject(me.links ?? {}, 'me.links')
  const { types, mine } = linked(unlinked, { key, fields, links: myLinks })
  const who = { shape: me.shape as Shape, key, fields, links: mine }
  const roles = readRoles(me.roles, who, types)
  return Object.freeze({
    me: Object.freeze({ ...who, ...(roles ? { roles } : {}), ...readTimeZone(me.timeZone) }),
    types,
    privileges: Object.freeze({}),
    routines: Object.freeze({}),
  })
}

/** Reads all links: first the fields that they join on, because a field that leads to a key holds ids; then the links themselves. */
function linked(
  unlinked: { readonly [name: string]: TypeModel & { readonly unread: object } },
  me: { readonly key: string; readonly fields: Fields; readonly links: object },
): { readonly types: Model['types']; readonly mine: MeModel['links'] } {
  const ids: Record<string, Set<string>> = Object.fromEntries(Object.values(unlinked).map(({ name, keys }) => [name, new Set(keys)]))
  const mine = new Set([me.key])
  const read = (owner: string, own: Reachable, links: object, idsOfOwner: Set<string>) =>
    Object.entries(links).map(([link, unread]) => {
      const at = `${owner}.links.${link}`
      checkLinkName(link, at, own)
      const pairs = readPairs(unread, at, own, unlinked)
      const other = unlinked[pairs.to] as TypeModel
      if (pairs.onDelete !== undefined) checkOnDelete(pairs, at, owner === 'me' ? undefined : own, other)
      for (const pair of pairs.pairs) {
        if (other.keys.includes(pair.theirs)) idsOfOwner.add(pair.mine)
        if (own.keys.includes(pair.mine)) ids[pairs.to]?.add(pair.theirs)
      }
      return { link, at, pairs }
    })
  const ofTypes = Object.values(unlinked).map((type) => ({
    type,
    links: read(type.name, type, type.unread, ids[type.name] as Set<string>),
  }))
  const ofMe = read('me', { keys: [me.key], fields: me.fields }, me.links, mine)
  const places = Object.fromEntries(
    Object.values(unlinked).map(({ name, fields }) => [name, placesOf({ fields, ids: [...(ids[name] as Set<string>)] })]),
  )
  const made = (links: typeof ofMe, own: Places) =>
    Object.freeze(
      Object.fromEntries(
        links.map(({ link, at, pairs }) => {
          const other = { theirs: places[pairs.to] as Places, removal: unlinked[pairs.to]?.removal }
          return [link, readLink(link, pairs, at, { mine: own, ...other })]
        }),
      ),
    )
  const types = Object.fromEntries(
    ofTypes.map(({ type: { unread: _unread, ...type }, links }) => {
      const own = ids[type.name] as Set<string>
      return [type.name, Object.freeze({ ...type, ids: Object.freeze([...own]), links: made(links, places[type.name] as Places) })]
    }),
  )
  for (const type of Object.keys(types)) referencesTo({ types }, type)
  return { types: Object.freeze(types), mine: made(ofMe, placesOf({ fields: me.fields, ids: [...mine] })) }
}

function checkLinkName(link: string, at: string, own: Reachable): void {
  if (!isName(link)) throw new RulebookError(at, 'a link needs a name of letters, digits and _')
  if (Object.hasOwn(own.fields, link)) throw new RulebookError(at, 'a field has this name already: give the link another')
  if (WORDS_OF_RECORDS.includes(link)) throw new RulebookError(at, 'this name has a meaning in rules: give the link another')
}

/** `onDelete` belongs on the side that holds the other record's key. On the other side it would have no effect, so it is refused. */
function checkOnDelete({ pairs, onDelete }: LinkPairs, at: string, own: Reachable | undefined, other: TypeModel): void {
  const theirs = { mine: pairs.map(({ theirs }) => theirs), theirs: pairs.map(({ mine }) => mine) }
  const mine = { mine: theirs.theirs, theirs: theirs.mine }
  if (own !== undefined && (holdsKey(mine, own, other) || holdsKey(theirs, other, own))) return
  const why =
    own === undefined
      ? 'links of me belong to no record'
      : pairs.length > 1
        ? 'this link joins on several fields, which are not the key'
        : 'this link joins on a field that is not the key'
  throw new RulebookError(
    at,
    `onDelete: ${JSON.stringify(onDelete)} belongs to records that hold the key of the deleted one, and ${why}. Leave it out, or link by the key.`,
  )
}

// Properties of record terms, which no link can be called.
const WORDS_OF_RECORDS: readonly string[] = ['field', 'ancestors', 'isMissing', 'isPresent']

function readActions(given: unknown, type: string): readonly string[] {
  const at = `${type}.actions`
  const named = listOfNames(given, at)
  for (const name of named) {
    if (!isName(name) || name === 'all') throw new RulebookError(at, `"${name}" cannot be the name of an action: use letters, digits and _`)
    if (ACTIONS.includes(name as Action)) throw new RulebookError(at, `"${name}" exists already`)
  }
  return Object.freeze([...ACTIONS, ...new Set(named)])
}

/** The fields of the key of a record type. */
export function keyFields(given: unknown, fields: Fields, at: string): readonly string[] {
  if (!Array.isArray(given)) return Object.freeze([keyField(given, fields, at)])
  if (given.length < 2) throw new RulebookError(`${at}.key`, 'a list needs at least two fields: give one field as its name alone')
  const names = given.map((name) => keyField(name, fields, at, 'of several'))
  const twice = names.find((name, index) => names.indexOf(name) < index)
  if (twice !== undefined) throw new RulebookError(`${at}.key`, `"${twice}" is named twice`)
  return Object.freeze(names)
}

function keyField(key: unknown, fields: Fields, at: string, isPart?: 'of several'): string {
  if (typeof key !== 'string' || !Object.hasOwn(fields, key)) {
    throw new RulebookError(`${at}.key`, unknownName('field', key, Object.keys(fields)))
  }
  const field = fields[key] as Field
  const isDay = isPart !== undefined && field.held === 'day'
  if (field.list || (field.type !== 'text' && field.type !== 'integer' && !isDay)) {
    const isBig = field.held === 'bigint'
    const held = isBig ? 'a bigint' : field.list ? 'a list' : field.held === 'bytes' ? 'bytes' : field.type
    throw new RulebookError(
      `${at}.key`,
      `"${key}" holds ${held}: ${isPart ? 'a part of a key has to be text, a whole number or a day' : 'a key has to be text or a whole number'}${isBig ? '. Read the column as text, or as z.int() if its values stay below 2^53' : ''}`,
    )
  }
  if (field.optional) throw new RulebookError(`${at}.key`, `"${key}" may be missing: a key is always required`)
  return key
}

/** The time zone of `today`. */
export function readTimeZone(timeZone: unknown): Pick<MeModel, 'timeZone'> {
  if (timeZone === undefined) return {}
  if (isTimeZone(timeZone)) return { timeZone }
  throw new RulebookError('me.timeZone', `${describeOdd(timeZone)} is not the name of a time zone, such as "Europe/Dublin"`)
}

/** The field that a deletion stamps: an instant that may be missing. */
export function readRemoval(removal: unknown, keys: readonly string[], fields: Fields, type: string): Pick<TypeModel, 'removal'> {
  if (removal === undefined) return {}
  const at = `${type}.removal`
  const field = typeof removal === 'string' && Object.hasOwn(fields, removal) ? fields[removal] : undefined
  if (field === undefined || keys.includes(removal as string))
    throw new RulebookError(at, unknownName('field', removal, Object.keys(fields)))
  if (field.type !== 'time' || field.list)
    throw new RulebookError(at, `"${removal}" holds no instant. If it does, add times: ['${removal}'] to the record type.`)
  if (!field.optional)
    throw new RulebookError(at, `"${removal}" is required, so every record would be removed. Let its shape be optional or nullable.`)
  return { removal: removal as string }
}

function listOfNames(value: unknown, at: string): readonly string[] {
  if (value === undefined) return []
  if (!Array.isArray(value) || value.some((name) => typeof name !== 'string')) throw new RulebookError(at, 'needs a list of names')
  return value
}

/** Checks that a value is a plain object with only these names. */
export function plainObject(value: unknown, at: string, known?: readonly string[]): Record<string, unknown> {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) {
    throw new RulebookError(at, `needs an object${known ? ` with ${known.join(', ')}` : ''}`)
  }
  const odd = known && Object.keys(value).find((name) => !known.includes(name))
  if (odd !== undefined) throw new RulebookError(at, unknownName('word', odd, known as string[]))
  return value as Record<string, unknown>
}
