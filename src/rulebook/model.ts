import type { ConditionNode, TermNode } from '../condition/nodes.js'
import type { ClauseNode } from './clauses.js'
import { RulebookError, UnknownNameError, unknownName } from './error.js'
import { termNode } from './node.js'
import { type Field, type Fields, readShape } from './shape.js'
import type { Action, Shape } from './types.js'
import { meTerms, type Roles } from './words.js'

/** The four actions, in the order in which people list them. */
export const ACTIONS: readonly Action[] = Object.freeze(['read', 'create', 'update', 'delete'])

/** The person asking, as a rulebook knows them. */
export interface MeModel {
  readonly shape: Shape
  readonly key: string
  readonly fields: Fields
  readonly roles?: Roles
}

/** What the server sets, by field. */
export type StampNodes = { readonly [field: string]: TermNode }

/** A rule that withholds actions. */
export interface VetoNode {
  readonly title: string
  readonly actions: readonly Action[]
  /** Where it withholds them: where it applies, and its exception does not. */
  readonly when: ConditionNode
  readonly saying: string
}

/** The rules of one record type. */
export interface TypeRules {
  /** What must hold before any clause of the action counts. */
  readonly gates: { readonly [A in Action]?: ConditionNode }
  readonly vetoes: readonly VetoNode[]
  readonly may: { readonly [A in Action]: readonly ClauseNode[] }
  readonly saying: { readonly [A in Action]?: string }
  readonly stamps: { readonly create: StampNodes; readonly update: StampNodes }
}

/** A record type with everything said about it. */
export interface TypeModel {
  readonly name: string
  readonly shape: Shape
  readonly key: string
  readonly fields: Fields
  readonly standings: { readonly [name: string]: ConditionNode }
  readonly rules?: TypeRules
}

/** A rulebook as plain frozen data. */
export interface Model {
  readonly me: MeModel
  readonly types: { readonly [name: string]: TypeModel }
  /** What must hold before any clause of any record type counts. */
  readonly gate?: ConditionNode
  /** Permissions that belong to no record, each with the conditions of which any grants it. */
  readonly privileges: { readonly [name: string]: ConditionNode }
  /** What is probably a mistake, yet could be meant. */
  readonly warnings: readonly string[]
}

/** The record type of that name. @throws UnknownNameError */
export function typeModel(model: Model, type: string): TypeModel {
  if (typeof type !== 'string' || !Object.hasOwn(model.types, type))
    throw new UnknownNameError('record type', type, Object.keys(model.types))
  return model.types[type] as TypeModel
}

/** The action of that name. @throws UnknownNameError */
export function knownAction(action: string): Action {
  if (!ACTIONS.includes(action as Action)) throw new UnknownNameError('action', action, ACTIONS)
  return action as Action
}

/** A field of a record type, by its name. @throws UnknownNameError */
export function fieldOf(type: TypeModel, name: string): Field {
  if (typeof name !== 'string' || !Object.hasOwn(type.fields, name))
    throw new UnknownNameError('field', name, Object.keys(type.fields), type.name)
  return type.fields[name] as Field
}

const NAME = /^[A-Za-z_][A-Za-z0-9_]*$/

/** Whether a record type, standing or person may have this name. */
export function isName(name: string): boolean {
  return NAME.test(name) && !(name in Object.prototype)
}

interface UnreadDefinition {
  readonly me?: { readonly shape?: unknown; readonly key?: unknown; readonly roles?: unknown }
  readonly records?: { readonly [type: string]: { readonly shape?: unknown; readonly key?: unknown; readonly times?: unknown } }
}

/** Reads what `rulebook` was given. @throws RulebookError */
export function readDefinition(given: unknown): Model {
  const definition = plainObject(given, 'rulebook', ['me', 'records']) as UnreadDefinition
  const me = readMe(definition.me)
  const records = plainObject(definition.records, 'records') as NonNullable<UnreadDefinition['records']>
  const types: Record<string, TypeModel> = {}
  for (const [name, unread] of Object.entries(records)) {
    if (!isName(name)) throw new RulebookError(name, 'a record type needs a name of letters, digits and _')
    const record = plainObject(unread, name, ['shape', 'key', 'times']) as { shape: Shape; key?: unknown; times?: unknown }
    const fields = readShape(record.shape, name, listOfNames(record.times, `${name}.times`))
    const key = keyField(record.key, fields, name)
    types[name] = Object.freeze({ name, shape: record.shape, key, fields, standings: Object.freeze({}) })
  }
  return Object.freeze({ me, types: Object.freeze(types), privileges: Object.freeze({}), warnings: Object.freeze([]) })
}

function readMe(unread: UnreadDefinition['me']): MeModel {
  const me = plainObject(unread, 'me', ['shape', 'key', 'roles']) as { shape: Shape; key?: unknown; roles?: unknown }
  const fields = readShape(me.shape, 'me')
  const key = keyField(me.key, fields, 'me')
  const roles = readRoles(me.roles, fields, key)
  return Object.freeze({ shape: me.shape, key, fields, ...(roles ? { roles } : {}) })
}

function readRoles(given: unknown, fields: Fields, key: string): Roles | undefined {
  if (given !== undefined && typeof given !== 'function') throw new RulebookError('me.roles', 'a function is needed: (me) => me.roles')
  const terms = meTerms({ fields, key }) as Record<string, unknown>
  const usual = ['roles', 'role'].find((name) => Object.hasOwn(fields, name))
  const term = termNode(given !== undefined ? (given as (me: unknown) => unknown)(terms) : usual && terms[usual])
  if (term === undefined) {
    if (given === undefined) return undefined
    throw new RulebookError('me.roles', 'must return a claim, as in (me) => me.roles')
  }
  if (term.kind !== 'claim' || term.type !== 'text') {
    if (given === undefined) return undefined
    throw new RulebookError('me.roles', 'roles are a text or a list of texts among the claims')
  }
  const known = fieldAt(fields, term.path)?.values?.filter((value) => typeof value === 'string')
  return Object.freeze({ term: term as TermNode, ...(known && known.length > 0 ? { known } : {}) })
}

function fieldAt(fields: Fields, path: readonly string[]): Field | undefined {
  const [name, ...rest] = path
  const field = name === undefined ? undefined : fields[name]
  return rest.length === 0 ? field : fieldAt(field?.fields ?? {}, rest)
}

function keyField(key: unknown, fields: Fields, at: string): string {
  if (typeof key !== 'string' || !Object.hasOwn(fields, key)) {
    throw new RulebookError(`${at}.key`, unknownName('field', key, Object.keys(fields)))
  }
  const field = fields[key] as Field
  if (field.list || (field.type !== 'text' && field.type !== 'integer')) {
    throw new RulebookError(`${at}.key`, `"${key}" holds ${field.list ? 'a list' : field.type}: a key is text or a whole number`)
  }
  if (field.optional) throw new RulebookError(`${at}.key`, `"${key}" may be missing: a key may not`)
  return key
}

function listOfNames(value: unknown, at: string): readonly string[] {
  if (value === undefined) return []
  if (!Array.isArray(value) || value.some((name) => typeof name !== 'string'))
    throw new RulebookError(at, 'a list of field names is needed')
  return value
}

/** Checks that something is a plain object and has no names but these. */
export function plainObject(value: unknown, at: string, known?: readonly string[]): Record<string, unknown> {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) {
    throw new RulebookError(at, `an object is needed${known ? ` with ${known.join(', ')}` : ''}`)
  }
  const odd = known && Object.keys(value).find((name) => !known.includes(name))
  if (odd !== undefined) throw new RulebookError(at, unknownName('word', odd, known as string[]))
  return value as Record<string, unknown>
}
