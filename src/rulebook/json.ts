import {
  type AncestorsNode,
  allOfNode,
  type ConditionNode,
  claimNodesIn,
  type FieldNode,
  fieldNodesIn,
  type LinkNode,
  type OverNode,
  type PlaceNode,
  presenceNode,
  type RecordsNode,
  sameCondition,
  type TermNode,
} from '../condition/index.js'
import { conditionFromJson } from '../condition/json.js'
import { refuseHanging } from './absence.js'
import { isName, plainObject } from './definition.js'
import { RulebookError, unknownName } from './error.js'
import type { LinkModel } from './links.js'
import type { ClauseNode, GateWordsNode, Model, Roles, TypeModel, TypeRules, VetoNode } from './model.js'
import { referencesTo } from './references.js'
import { type Field, type Fields, readShape } from './shape.js'
import type { Shape } from './types.js'
import { rulebookWarnings } from './write.js'

/** The form that this version writes and reads. */
const FORMAT = 1

/** A rulebook as JSON: everything but the shapes, which are code. */
export interface RulebookJson {
  readonly format: 1
  readonly me: object
  readonly types: { readonly [name: string]: object }
  readonly gate?: ConditionNode
  readonly privileges: { readonly [name: string]: ConditionNode }
  readonly routines: { readonly [name: string]: ConditionNode }
}

/** The shapes that a rulebook in JSON is to be used with. */
export interface Shapes {
  readonly me: Shape
  readonly records: { readonly [type: string]: Shape }
}

/** A rulebook's model as JSON. */
export function modelToJson(model: Model): RulebookJson {
  const { me, types, gate, gateSaying, privileges, routines } = model
  const bare = <T extends { readonly shape: Shape }>({ shape: _shape, ...rest }: T) => rest
  const named = Object.fromEntries(
    Object.values(types).map((type) => {
      const { name: _name, ...rest } = bare(type)
      return [type.name, rest]
    }),
  )
  return JSON.parse(
    JSON.stringify({
      format: FORMAT,
      me: bare(me),
      ...(gate ? { gate } : {}),
      ...(gateSaying ? { gateSaying } : {}),
      privileges,
      routines,
      types: named,
    }),
  )
}

/**
 * Reads a rulebook back from JSON, for these shapes. Nothing is taken on trust: names, fields, links and conditions are checked
 * against the shapes, and the law of absence holds for what is read as for what is written in code.
 * @throws RulebookError, ConditionError
 */
export function modelFromJson(json: unknown, shapes: Shapes): Model {
  const given = plainObject(json, 'rulebook', ['format', 'me', 'gate', 'gateSaying', 'privileges', 'routines', 'types'])
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
  const meGiven = plainObject(given.me, 'me', ['key', 'fields', 'links', 'roles'])
  const frame = readFrame('me', { key: meGiven.key, fields: meGiven.fields, ids: [meGiven.key], actions: [] }, shapes.me)
  const mine = readLinks(types, frame, meGiven.links, 'me.links')
  const check = new Checker(types, { ...frame, links: mine })
  const me = {
    shape: shapes.me,
    key: frame.key,
    fields: frame.fields,
    links: mine,
    ...(meGiven.roles === undefined ? {} : { roles: check.roles(meGiven.roles) }),
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
    const { standings, rules } = one as { standings?: unknown; rules?: unknown }
    const read = Object.entries(plainObject(standings ?? {}, `${name}.standings`)).map(([standing, node]) => [
      nameOf(standing, `${name}.standings`),
      check.condition(node, `standings of ${name}, ${standing}`, type),
    ])
    const full = { ...type, standings: Object.freeze(Object.fromEntries(read)) }
    types[name] = Object.freeze(rules === undefined ? full : { ...full, rules: readRules(rules, full, check, Object.keys(routines)) })
  }
  for (const name of Object.keys(types)) referencesTo({ types }, name)
  const gate = given.gate === undefined ? {} : { gate: check.condition(given.gate, 'gate', undefined, 'positive') }
  const said = given.gateSaying === undefined ? {} : { gateSaying: readGateWords(given.gateSaying, 'gateSaying', undefined, check) }
  const model = {
    me: Object.freeze(me),
    types: Object.freeze(types),
    ...gate,
    ...said,
    privileges: Object.freeze(privileges),
    routines: Object.freeze(routines),
  }
  return Object.freeze({ ...model, warnings: Object.freeze(Object.values(types).flatMap(rulebookWarnings)) })
}

function nameOf(name: string, at: string): string {
  if (!isName(name)) throw new RulebookError(at, `"${name}" is no name: use letters, digits and _`)
  return name
}

/** A record type without links, standings and rules yet, held against its shape. */
function readFrame(name: string, json: unknown, shape: Shape | undefined): TypeModel {
  const given = plainObject(json, name, ['key', 'fields', 'ids', 'links', 'actions', 'standings', 'rules'])
  if (shape === undefined)
    throw new RulebookError(nameOf(name, 'types'), 'its shape is missing: give { me, records } with a shape for each')
  const said = plainObject(given.fields, `${name}.fields`) as Fields
  const times = Object.entries(said).flatMap(([field, one]) => ((one as Partial<Field> | null)?.type === 'time' ? [field] : []))
  const fields = readShape(shape, name, times)
  const plain = (one: unknown) => JSON.stringify(sorted(one))
  const differing = [...new Set([...Object.keys(said), ...Object.keys(fields)])].find(
    (field) => plain(said[field]) !== plain(fields[field]),
  )
  if (differing !== undefined)
    throw new RulebookError(`${name}.${differing}`, 'is not what its shape says: these rules were written for another')
  const key = String(given.key)
  if (!Object.hasOwn(fields, key)) throw new RulebookError(`${name}.key`, unknownName('field', given.key, Object.keys(fields)))
  const ids = texts(given.ids, `${name}.ids`)
  const actions = texts(given.actions, `${name}.actions`)
  for (const id of ids)
    if (!Object.hasOwn(fields, id)) throw new RulebookError(`${name}.ids`, unknownName('field', id, Object.keys(fields)))
  return { name, shape, key, fields, ids: Object.freeze(ids), actions: Object.freeze(actions), links: {}, standings: {} }
}

function sorted(value: unknown): unknown {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return value
  return Object.fromEntries(
    Object.entries(value)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, one]) => [name, sorted(one)]),
  )
}

function texts(given: unknown, at: string): string[] {
  if (!Array.isArray(given) || given.some((one) => typeof one !== 'string')) throw new RulebookError(at, 'a list of names is needed')
  return [...given]
}

function readLinks(types: Model['types'], owner: TypeModel, json: unknown, at: string): TypeModel['links'] {
  const links = Object.entries(plainObject(json ?? {}, at)).map(([name, one]) => {
    const where = `${at}.${name}`
    const given = plainObject(one, where, ['name', 'to', 'by', 'many', 'target', 'onDelete']) as unknown as LinkModel
    const target = typeof given.to === 'string' && Object.hasOwn(types, given.to) ? types[given.to] : undefined
    if (target === undefined) throw new RulebookError(where, unknownName('record type', given.to, Object.keys(types)))
    if (given.name !== nameOf(name, at) || Object.hasOwn(owner.fields, name))
      throw new RulebookError(where, 'is not the name of a link here')
    const options: readonly unknown[] = ['refuse', 'delete', 'unlink', 'follow', undefined]
    if (typeof given.many !== 'boolean' || !['visible', 'any'].includes(given.target) || !options.includes(given.onDelete))
      throw new RulebookError(where, 'many, target or onDelete is none of what it may be')
    if (!Array.isArray(given.by) || given.by.length === 0) throw new RulebookError(where, 'a list of pairs is needed')
    for (const pair of given.by) {
      checkPlace(pair?.from, owner, where)
      checkPlace(pair?.to, target, where)
    }
    return [name, Object.freeze(structuredClone(given))]
  })
  return Object.freeze(Object.fromEntries(links))
}

/** What the fields of a record are: those of a type, or of the objects in a list. */
interface Known {
  readonly name: string
  readonly fields: Fields
  readonly ids: readonly string[]
}

/** Checks that a place is there, with the type that it is said to have. */
function checkPlace(place: PlaceNode | undefined, { name, fields, ids }: Known, at: string): Field {
  const path = place?.path
  if (!Array.isArray(path) || path.length === 0) throw new RulebookError(at, 'a path is needed')
  let known: Fields = fields
  let field: Field | undefined
  for (const step of path) {
    field = Object.hasOwn(known, step) ? known[step] : undefined
    if (field === undefined) throw new RulebookError(at, `${name}: ${unknownName('field', step, Object.keys(known))}`)
    known = field.list ? {} : (field.fields ?? {})
  }
  const { type, list } = field as Field
  const wanted = type === 'group' ? 'other' : type
  const id = wanted === 'text' && path.length === 1 && ids.includes(path[0] as string)
  const fits = place?.type === (id ? 'id' : wanted) && (place?.list === true) === (wanted !== 'other' && list === true)
  if (!fits)
    throw new RulebookError(
      at,
      `${name}.${path.join('.')} holds ${list ? 'a list of ' : ''}${id ? 'id' : wanted}, and is said to hold ${place?.type}`,
    )
  return field as Field
}

class Checker {
  readonly #types: Model['types']
  readonly #me: Known & Pick<TypeModel, 'links'>

  constructor(types: Model['types'], me: TypeModel) {
    this.#types = types
    this.#me = { ...me, name: 'me' }
  }

  /** Reads a condition that is asked of a record of the type, or of none. */
  condition(json: unknown, at: string, type: TypeModel | undefined, law?: 'positive'): ConditionNode {
    const node = conditionFromJson(json)
    this.#walk(
      node,
      at,
      new Map(
        type === undefined
          ? []
          : [
              ['record', type],
              ['after', type],
            ],
      ),
    )
    if (law !== undefined) refuseHanging(node, at, type?.name ?? 'record')
    return node
  }

  roles(json: unknown): Roles {
    const { term, known } = plainObject(json, 'me.roles', ['term', 'known']) as { term?: unknown; known?: unknown }
    const node = this.condition({ kind: 'presence', term, present: true }, 'me.roles', undefined) as { term?: TermNode }
    if (node.term?.kind !== 'claim') throw new RulebookError('me.roles', 'must be a claim')
    return Object.freeze({ term: node.term, ...(known === undefined ? {} : { known: texts(known, 'me.roles') }) })
  }

  term(json: unknown, at: string): TermNode {
    return (this.condition({ kind: 'presence', term: json, present: true }, at, undefined) as unknown as { term: TermNode }).term
  }

  #walk(node: ConditionNode, at: string, scope: ReadonlyMap<FieldNode['of'], Known & Partial<TypeModel>>): void {
    switch (node.kind) {
      case 'allOf':
      case 'anyOf':
        for (const part of node.of) this.#walk(part, at, scope)
        return
      case 'not':
      case 'named':
        return this.#walk(node.of, at, scope)
      case 'some': {
        const inner = this.#over(node.over, at, scope)
        return this.#walk(node.of, at, new Map([...scope, [node.each, inner]]))
      }
      case 'constant':
        return
      case 'compare':
      case 'presence':
      case 'listChange': {
        for (const claim of claimNodesIn(node)) this.#claim(claim, at)
        for (const field of fieldNodesIn(node)) this.#field(field, at, scope)
      }
    }
  }

  #over(over: OverNode, at: string, scope: ReadonlyMap<FieldNode['of'], Known & Partial<TypeModel>>): Known & Partial<TypeModel> {
    switch (over.kind) {
      case 'elements': {
        const { fields } = this.#field(over.list, at, scope)
        if (fields === undefined) throw new RulebookError(at, `${over.list.path.join('.')} holds no objects`)
        return { name: 'it', fields, ids: [] }
      }
      case 'records':
        return this.#joined(over, at, scope)
      case 'ancestors': {
        const type = this.#joined(over, at, scope)
        this.#link(over.link, type, at)
        checkPlace(over.key, type, at)
        this.#walk(presenceNode(over.self, true), at, scope)
        return type
      }
    }
  }

  #joined(over: RecordsNode | AncestorsNode, at: string, scope: ReadonlyMap<FieldNode['of'], Known & Partial<TypeModel>>): TypeModel {
    const type = Object.hasOwn(this.#types, over.type) ? this.#types[over.type] : undefined
    if (type === undefined) throw new RulebookError(at, unknownName('record type', over.type, Object.keys(this.#types)))
    for (const { to, from } of over.by) {
      checkPlace(to, type, at)
      this.#walk({ kind: 'presence', term: from, present: true }, at, scope)
    }
    return type
  }

  #field(field: FieldNode, at: string, scope: ReadonlyMap<FieldNode['of'], Known & Partial<TypeModel>>): Field {
    let known = scope.get(field.of)
    if (known === undefined) throw new RulebookError(at, 'speaks of a record where there is none')
    for (const link of field.via ?? []) known = this.#link(link, known, at)
    return checkPlace(field as PlaceNode, known, at)
  }

  /** A link in a condition is one that its record type has. */
  #link(link: LinkNode, from: Known & Partial<TypeModel>, at: string): TypeModel {
    const own = from.links !== undefined && Object.hasOwn(from.links, link.name) ? from.links[link.name] : undefined
    const same =
      own !== undefined &&
      !own.many &&
      own.to === link.to &&
      JSON.stringify(sorted({ by: own.by })) === JSON.stringify(sorted({ by: link.by }))
    if (!same) throw new RulebookError(at, `${from.name} has no such link "${link.name}" to one record`)
    return this.#types[link.to] as TypeModel
  }

  #claim({ path, links = 0, ...rest }: Extract<TermNode, { kind: 'claim' }>, at: string): void {
    let known: Known & Pick<TypeModel, 'links'> = this.#me
    for (const step of path.slice(0, links)) {
      const link = Object.hasOwn(known.links, step) ? known.links[step] : undefined
      if (link === undefined || link.many)
        throw new RulebookError(at, `${known.name}: ${unknownName('link to one record', step, Object.keys(known.links))}`)
      known = this.#types[link.to] as TypeModel
    }
    checkPlace({ ...rest, path: path.slice(links) } as PlaceNode, known, at)
  }
}

function readRules(json: unknown, type: TypeModel, check: Checker, routines: readonly string[]): TypeRules {
  const at = `rules of ${type.name}`
  const given = plainObject(json, at, ['may', 'saying', 'stamps', 'gates', 'gateSaying', 'vetoes'])
  const may = Object.entries(plainObject(given.may, `${at}, may`, type.actions)).map(([action, clauses]) => {
    if (!Array.isArray(clauses)) throw new RulebookError(`${at}, may.${action}`, 'a list of clauses is needed')
    return [action, Object.freeze(clauses.map((one, index) => readClause(one, `${at}, may.${action}[${index}]`, type, check, routines)))]
  })
  const lacking = type.actions.find((action) => !may.some(([name]) => name === action))
  if (lacking !== undefined) throw new RulebookError(`${at}, may`, `"${lacking}" is missing: give an empty list where nobody may`)
  const gates = Object.entries(plainObject(given.gates ?? {}, `${at}, gates`, type.actions)).map(([action, one]) => [
    action,
    check.condition(one, `${at}, gates.${action}`, type, 'positive'),
  ])
  const spoken = Object.entries(plainObject(given.gateSaying ?? {}, `${at}, gateSaying`, type.actions)).map(([action, words]) => [
    action,
    readGateWords(words, `${at}, gateSaying.${action}`, type, check),
  ])
  if (!Array.isArray(given.vetoes)) throw new RulebookError(`${at}, vetoes`, 'a list is needed')
  const vetoes = given.vetoes.map((one, index): VetoNode => {
    const where = `${at}, vetoes[${index}]`
    const { title, actions, when, saying } = plainObject(one, where, ['title', 'actions', 'when', 'saying'])
    const known = texts(actions, where)
    const odd = known.find((action) => !type.actions.includes(action))
    if (odd !== undefined) throw new RulebookError(where, unknownName('action', odd, type.actions))
    const node = check.condition(when, where, type)
    refuseHanging({ kind: 'not', of: node }, where, type.name)
    return Object.freeze({ title: text(title, where), actions: Object.freeze(known), when: node, saying: text(saying, where) })
  })
  const stamps = plainObject(given.stamps, `${at}, stamps`, ['create', 'update'])
  const stampsOf = (action: 'create' | 'update') =>
    Object.freeze(
      Object.fromEntries(
        Object.entries(plainObject(stamps[action], `${at}, stamps.${action}`, Object.keys(type.fields))).map(([field, one]) => [
          field,
          check.term(one, `${at}, stamps.${action}.${field}`),
        ]),
      ),
    )
  const saying = Object.entries(plainObject(given.saying ?? {}, `${at}, saying`, type.actions)).map(([action, words]) => [
    action,
    text(words, `${at}, saying`),
  ])
  return Object.freeze({
    may: Object.freeze(Object.fromEntries(may)) as TypeRules['may'],
    saying: Object.freeze(Object.fromEntries(saying)),
    stamps: Object.freeze({ create: stampsOf('create'), update: stampsOf('update') }),
    gates: Object.freeze(Object.fromEntries(gates)),
    ...(given.gateSaying === undefined ? {} : { gateSaying: Object.freeze(Object.fromEntries(spoken)) }),
    vetoes: Object.freeze(vetoes),
  })
}

function readGateWords(json: unknown, at: string, type: TypeModel | undefined, check: Checker): readonly GateWordsNode[] {
  if (!Array.isArray(json)) throw new RulebookError(at, 'a list is needed')
  return Object.freeze(
    json.map((one, index) => {
      const { when, saying } = plainObject(one, `${at}[${index}]`, ['when', 'saying'])
      return Object.freeze({ when: check.condition(when, at, type, 'positive'), saying: text(saying, at) })
    }),
  )
}

function readClause(json: unknown, at: string, type: TypeModel, check: Checker, routines: readonly string[]): ClauseNode {
  const given = plainObject(json, at, ['title', 'when', 'who', 'provided', 'fields', 'limitedBy', 'supplying', 'afterwards', 'within'])
  if (!Array.isArray(given.provided)) throw new RulebookError(at, 'provided: a list is needed')
  const known = (names: unknown, of: readonly string[], what: string): readonly string[] => {
    const odd = texts(names, at).find((name) => !of.includes(name))
    if (odd !== undefined) throw new RulebookError(at, unknownName(what, odd, of))
    return Object.freeze(texts(names, at))
  }
  const fields = Object.keys(type.fields)
  const limited = given.fields !== undefined
  if (limited !== (given.limitedBy === 'only' || given.limitedBy === 'except'))
    throw new RulebookError(at, 'limitedBy and fields belong together')
  const who = check.condition(given.who, at, type)
  const provided = given.provided.map((one) => check.condition(one, at, type))
  const when = check.condition(given.when, at, type, 'positive')
  // What people read must be what decides.
  if (!sameCondition(when, provided.length === 0 ? who : allOfNode([who, ...provided])))
    throw new RulebookError(at, 'when is not who and provided together')
  return Object.freeze({
    title: text(given.title, at),
    when,
    who,
    provided: Object.freeze(provided),
    ...(limited ? { fields: known(given.fields, fields, 'field'), limitedBy: given.limitedBy as 'only' } : {}),
    ...(given.supplying === undefined ? {} : { supplying: known(given.supplying, fields, 'field') }),
    ...(given.afterwards === undefined ? {} : { afterwards: check.condition(given.afterwards, at, type, 'positive') }),
    ...(given.within === undefined ? {} : { within: known(given.within, routines, 'routine') }),
  })
}

function text(value: unknown, at: string): string {
  if (typeof value !== 'string' || value.trim() === '') throw new RulebookError(at, 'words are needed')
  return value
}
