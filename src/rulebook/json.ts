import { type ConditionNode, sameCondition } from '../condition/index.js'
import { refuseUnguardedNegations } from './absence.js'
import { isName, keyFields, plainObject, readRemoval, readTimeZone } from './definition.js'
import { RulebookError, unknownName } from './error.js'
import { checkGenerated, readGenerated } from './generated.js'
import { Checker, checkPlace, sorted, text, texts } from './json-check.js'
import { serverKey } from './keys.js'
import type { LinkModel } from './links.js'
import type { ClauseNode, EveryRecordNode, GateWordsNode, Model, TypeModel, TypeRules, VetoNode } from './model.js'
import { referencesTo } from './references.js'
import { checkIncludingRemoved, whenOf } from './removal.js'
import { type Field, type Fields, readShape } from './shape.js'
import type { Shape } from './types.js'

/** The format version that this code writes and reads. */
const FORMAT = 1

/** A rulebook as JSON: everything except the shapes, which are code. */
export interface RulebookJson {
  readonly format: 1
  readonly me: object
  readonly types: { readonly [name: string]: object }
  readonly gate?: ConditionNode
  readonly privileges: { readonly [name: string]: ConditionNode }
  readonly routines: { readonly [name: string]: ConditionNode }
}

/** The shapes to use with a rulebook from JSON. */
export interface Shapes {
  readonly me: Shape
  readonly records: { readonly [type: string]: Shape }
}

/** A rulebook's model as JSON. */
export function modelToJson(model: Model): RulebookJson {
  const { me, types, gate, gateMessages, privileges, routines } = model
  const bare = <T extends { readonly shape: Shape }>({ shape: _shape, ...rest }: T) => rest
  const keyed = ({ keys, ...rest }: Omit<TypeModel, 'shape'>) => ({ key: serverKey({ keys }) ?? keys, ...rest })
  const named = Object.fromEntries(
    Object.values(types).map((type) => {
      // Guarantees decide nothing: the JSON form is for those who decide.
      const { name: _name, grantsOnly: _grants, guarantees: _guarantees, accepts: _accepts, ...rest } = keyed(bare(type))
      return [type.name, rest]
    }),
  )
  return JSON.parse(
    JSON.stringify({
      format: FORMAT,
      me: bare(me),
      ...(gate ? { gate } : {}),
      ...(gateMessages ? { gateMessages } : {}),
      privileges,
      routines,
      types: named,
    }),
  )
}

/**
 * Reads a rulebook from JSON with these shapes. Names, fields, links and conditions are checked against the shapes, and missing values are
 * checked as in a rulebook in code.
 * @throws RulebookError, ConditionError
 */
export function modelFromJson(json: unknown, shapes: Shapes): Model {
  const given = plainObject(json, 'rulebook', ['format', 'me', 'gate', 'gateMessages', 'privileges', 'routines', 'types'])
  if (given.format !== FORMAT) throw new RulebookError('format', `this version reads format ${FORMAT}, not ${JSON.stringify(given.format)}`)
  const unread = plainObject(given.types, 'types')
  for (const name of Object.keys(shapes.records))
    if (!Object.hasOwn(unread, name)) throw new RulebookError('types', unknownName('record type', name, Object.keys(unread)))
  const types: Record<string, TypeModel> = {}
  for (const [name, one] of Object.entries(unread)) types[name] = readFrame(name, one, shapes.records[name])
  for (const [name, one] of Object.entries(unread)) {
    const type = types[name] as TypeModel
    types[name] = { ...type, links: readLinks(types, type, (one as { links?: unknown }).links, `${name}.links`) }
  }
  const meGiven = plainObject(given.me, 'me', ['key', 'fields', 'links', 'roles', 'timeZone'])
  const frame = readFrame('me', { key: meGiven.key, fields: meGiven.fields, ids: [meGiven.key], actions: [] }, shapes.me)
  const mine = readLinks(types, frame, meGiven.links, 'me.links')
  const check = new Checker(types, { ...frame, links: mine })
  const me = {
    shape: shapes.me,
    key: serverKey(frame) as string,
    fields: frame.fields,
    links: mine,
    ...(meGiven.roles === undefined ? {} : { roles: check.roles(meGiven.roles) }),
    ...readTimeZone(meGiven.timeZone),
  }
  const grants = (kind: 'privileges' | 'routines') =>
    Object.fromEntries(
      Object.entries(plainObject(given[kind] ?? {}, kind)).map(([name, one]) => [
        nameOf(name, kind),
        check.condition(one, `${kind}, ${name}`, undefined, 'positive'),
      ]),
    )
  const privileges = grants('privileges')
  const routines = grants('routines')
  for (const [name, one] of Object.entries(unread)) {
    const type = types[name] as TypeModel
    const { standings, rules, everyRecord } = one as { standings?: unknown; rules?: unknown; everyRecord?: unknown }
    const read = Object.entries(plainObject(standings ?? {}, `${name}.standings`)).map(([standing, node]) => [
      nameOf(standing, `${name}.standings`),
      check.condition(node, `standings of ${name}, ${standing}`, type),
    ])
    const every = everyRecord === undefined ? {} : { everyRecord: readEvery(everyRecord, `${name}.everyRecord`, type, check) }
    const full = { ...type, standings: Object.freeze(Object.fromEntries(read)), ...every }
    const ruled = rules === undefined ? full : { ...full, rules: readRules(rules, full, check, Object.keys(routines)) }
    checkGated(ruled)
    checkGenerated(ruled)
    types[name] = Object.freeze(ruled)
  }
  for (const name of Object.keys(types)) referencesTo({ types }, name)
  const gate = given.gate === undefined ? {} : { gate: check.condition(given.gate, 'gate', undefined, 'positive') }
  const said = given.gateMessages === undefined ? {} : { gateMessages: readGateWords(given.gateMessages, 'gateMessages', undefined, check) }
  const model = {
    me: Object.freeze(me),
    types: Object.freeze(types),
    ...gate,
    ...said,
    privileges: Object.freeze(privileges),
    routines: Object.freeze(routines),
  }
  return Object.freeze(model)
}

function nameOf(name: string, at: string): string {
  if (!isName(name)) throw new RulebookError(at, `"${name}" cannot be a name: use letters, digits and _`)
  return name
}

/** A record type without links, standings and rules, checked against its shape. */
function readFrame(name: string, json: unknown, shape: Shape | undefined): TypeModel {
  const given = plainObject(json, name, [
    'key',
    'fields',
    'ids',
    'links',
    'actions',
    'removal',
    'generated',
    'standings',
    'everyRecord',
    'rules',
  ])
  if (shape === undefined)
    throw new RulebookError(nameOf(name, 'types'), 'its shape is missing: give { me, records } with a shape for each')
  const said = plainObject(given.fields, `${name}.fields`) as Fields
  const times = Object.entries(said).flatMap(([field, one]) => ((one as Partial<Field> | null)?.type === 'time' ? [field] : []))
  const days = times.filter((field) => said[field]?.held === 'day')
  const fields = readShape(
    shape,
    name,
    times.filter((field) => !days.includes(field)),
    days,
  )
  const plain = (one: unknown) => JSON.stringify(sorted(one))
  const differing = [...new Set([...Object.keys(said), ...Object.keys(fields)])].find(
    (field) => plain(said[field]) !== plain(fields[field]),
  )
  if (differing !== undefined)
    throw new RulebookError(`${name}.${differing}`, 'does not match its shape: these rules were written for another shape')
  const keys = keyFields(given.key, fields, name)
  const ids = texts(given.ids, `${name}.ids`)
  const actions = texts(given.actions, `${name}.actions`)
  for (const id of ids)
    if (!Object.hasOwn(fields, id)) throw new RulebookError(`${name}.ids`, unknownName('field', id, Object.keys(fields)))
  const removal = readRemoval(given.removal, keys, fields, name)
  const generated = readGenerated(given.generated, fields, `${name}.generated`, removal.removal)
  return {
    ...generated,
    name,
    shape,
    keys,
    fields,
    ids: Object.freeze(ids),
    actions: Object.freeze(actions),
    links: {},
    standings: {},
    ...removal,
  }
}

function readLinks(types: Model['types'], owner: TypeModel, json: unknown, at: string): TypeModel['links'] {
  const links = Object.entries(plainObject(json ?? {}, at)).map(([name, one]) => {
    const where = `${at}.${name}`
    const given = plainObject(one, where, ['name', 'to', 'by', 'many', 'removal', 'target', 'onDelete']) as unknown as LinkModel
    const target = typeof given.to === 'string' && Object.hasOwn(types, given.to) ? types[given.to] : undefined
    if (target === undefined) throw new RulebookError(where, unknownName('record type', given.to, Object.keys(types)))
    if (given.name !== nameOf(name, at) || Object.hasOwn(owner.fields, name))
      throw new RulebookError(where, 'is not the name of a link here')
    const options: readonly unknown[] = ['refuse', 'delete', 'unlink', 'follow', undefined]
    if (typeof given.many !== 'boolean' || !['visible', 'any'].includes(given.target) || !options.includes(given.onDelete))
      throw new RulebookError(where, 'many, target or onDelete has a value that it cannot have')
    if (!Array.isArray(given.by) || given.by.length === 0) throw new RulebookError(where, 'needs a list of pairs')
    if (given.removal?.path?.[0] !== target.removal || (given.removal?.path.length ?? 1) > 1)
      throw new RulebookError(where, `removal has to be that of ${target.name}`)
    if (given.removal !== undefined) checkPlace(given.removal, target, where)
    for (const pair of given.by) {
      checkPlace(pair?.from, owner, where)
      checkPlace(pair?.to, target, where)
    }
    return [name, Object.freeze(structuredClone(given))]
  })
  return Object.freeze(Object.fromEntries(links))
}

function readRules(json: unknown, type: TypeModel, check: Checker, routines: readonly string[]): TypeRules {
  const at = `rules of ${type.name}`
  const given = plainObject(json, at, ['may', 'messages', 'stamps', 'gates', 'gateMessages', 'vetoes'])
  const may = Object.entries(plainObject(given.may, `${at}, may`, type.actions)).map(([action, clauses]) => {
    if (!Array.isArray(clauses)) throw new RulebookError(`${at}, may.${action}`, 'needs a list of clauses')
    return [
      action,
      Object.freeze(clauses.map((one, index) => readClause(one, `${at}, may.${action}[${index}]`, { type, action, check, routines }))),
    ]
  })
  const lacking = type.actions.find((action) => !may.some(([name]) => name === action))
  if (lacking !== undefined) throw new RulebookError(`${at}, may`, `"${lacking}" is missing: use an empty list if nobody may`)
  const gates = Object.entries(plainObject(given.gates ?? {}, `${at}, gates`, type.actions)).map(([action, one]) => [
    action,
    check.condition(one, `${at}, gates.${action}`, type, 'positive'),
  ])
  const spoken = Object.entries(plainObject(given.gateMessages ?? {}, `${at}, gateMessages`, type.actions)).map(([action, words]) => [
    action,
    readGateWords(words, `${at}, gateMessages.${action}`, type, check),
  ])
  if (!Array.isArray(given.vetoes)) throw new RulebookError(`${at}, vetoes`, 'needs a list')
  const vetoes = given.vetoes.map((one, index): VetoNode => {
    const where = `${at}, vetoes[${index}]`
    const { title, actions, when, message } = plainObject(one, where, ['title', 'actions', 'when', 'message'])
    const known = texts(actions, where)
    const odd = known.find((action) => !type.actions.includes(action))
    if (odd !== undefined) throw new RulebookError(where, unknownName('action', odd, type.actions))
    const node = check.condition(when, where, type)
    refuseUnguardedNegations({ kind: 'not', of: node }, where, type.name)
    return Object.freeze({ title: text(title, where), actions: Object.freeze(known), when: node, message: text(message, where) })
  })
  const stamps = plainObject(given.stamps, `${at}, stamps`, ['create', 'update', ...(type.removal === undefined ? [] : ['delete'])])
  const stampsOf = (action: 'create' | 'update' | 'delete') =>
    Object.freeze(
      Object.fromEntries(
        Object.entries(plainObject(stamps[action], `${at}, stamps.${action}`, Object.keys(type.fields))).map(([field, one]) => [
          field,
          check.term(one, `${at}, stamps.${action}.${field}`),
        ]),
      ),
    )
  const messages = Object.entries(plainObject(given.messages ?? {}, `${at}, messages`, type.actions)).map(([action, words]) => [
    action,
    text(words, `${at}, messages`),
  ])
  return Object.freeze({
    may: Object.freeze(Object.fromEntries(may)) as TypeRules['may'],
    messages: Object.freeze(Object.fromEntries(messages)),
    stamps: Object.freeze({
      create: stampsOf('create'),
      update: stampsOf('update'),
      ...(stamps.delete === undefined ? {} : { delete: stampsOf('delete') }),
    }),
    gates: Object.freeze(Object.fromEntries(gates)),
    ...(given.gateMessages === undefined ? {} : { gateMessages: Object.freeze(Object.fromEntries(spoken)) }),
    vetoes: Object.freeze(vetoes),
  })
}

function readGateWords(json: unknown, at: string, type: TypeModel | undefined, check: Checker): readonly GateWordsNode[] {
  if (!Array.isArray(json)) throw new RulebookError(at, 'needs a list')
  return Object.freeze(
    json.map((one, index) => {
      const { when, message } = plainObject(one, `${at}[${index}]`, ['when', 'message'])
      return Object.freeze({ when: check.condition(when, at, type, 'positive'), message: text(message, at) })
    }),
  )
}

/** Conditions on every record decide as parts of the gates, so each gate has to contain them. */
function checkGated({ name, actions, everyRecord = [], rules }: TypeModel): void {
  if (rules === undefined) return
  for (const action of actions) {
    const gate = rules.gates[action]
    const parts = gate === undefined ? [] : gate.kind === 'allOf' ? [gate, ...gate.of] : [gate]
    if (!everyRecord.every(({ when }) => parts.some((part) => sameCondition(part, when))))
      throw new RulebookError(`rules of ${name}, gates.${action}`, 'lacks a condition of everyRecord')
  }
}

function readEvery(json: unknown, at: string, type: TypeModel, check: Checker): readonly EveryRecordNode[] {
  if (!Array.isArray(json)) throw new RulebookError(at, 'needs a list')
  return Object.freeze(
    json.map((one, index) => {
      const { when, message } = plainObject(one, `${at}[${index}]`, ['when', 'message'])
      const words = message === undefined ? {} : { message: text(message, at) }
      return Object.freeze({ when: check.condition(when, at, type, 'positive'), ...words })
    }),
  )
}

function readClause(
  json: unknown,
  at: string,
  { type, action, check, routines }: { type: TypeModel; action: string; check: Checker; routines: readonly string[] },
): ClauseNode {
  const given = plainObject(json, at, [
    'title',
    'when',
    'who',
    'provided',
    'fields',
    'limitedBy',
    'overriding',
    'afterwards',
    'within',
    'includingRemoved',
  ])
  if (!Array.isArray(given.provided)) throw new RulebookError(at, 'provided: needs a list')
  const known = (names: unknown, of: readonly string[], what: string): readonly string[] => {
    const odd = texts(names, at).find((name) => !of.includes(name))
    if (odd !== undefined) throw new RulebookError(at, unknownName(what, odd, of))
    return Object.freeze(texts(names, at))
  }
  const fields = Object.keys(type.fields)
  const limited = given.fields !== undefined
  if (limited !== (given.limitedBy === 'only' || given.limitedBy === 'except'))
    throw new RulebookError(at, 'limitedBy and fields have to be given together')
  const who = check.condition(given.who, at, type)
  const provided = given.provided.map((one) => check.condition(one, at, type))
  const when = check.condition(given.when, at, type, 'positive')
  if (given.includingRemoved !== undefined && given.includingRemoved !== true)
    throw new RulebookError(at, 'includingRemoved has to be true, or left out')
  const removed = given.includingRemoved === true ? { includingRemoved: true as const } : {}
  checkIncludingRemoved(removed, type, action, at)
  // The description must match what decides.
  if (!sameCondition(when, whenOf(type, action, { who, provided, ...removed })))
    throw new RulebookError(at, 'when has to be who and provided combined')
  return Object.freeze({
    title: text(given.title, at),
    when,
    who,
    provided: Object.freeze(provided),
    ...(limited ? { fields: known(given.fields, fields, 'field'), limitedBy: given.limitedBy as 'only' } : {}),
    ...(given.overriding === undefined ? {} : { overriding: known(given.overriding, fields, 'field') }),
    ...(given.afterwards === undefined ? {} : { afterwards: check.condition(given.afterwards, at, type, 'positive') }),
    ...(given.within === undefined ? {} : { within: known(given.within, routines, 'routine') }),
    ...removed,
  })
}
