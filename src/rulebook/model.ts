import type { ConditionNode, TermNode } from '../condition/nodes.js'
import { UnknownNameError } from './error.js'
import type { LinkModel } from './links.js'
import type { Field, Fields } from './shape.js'
import type { Action, Shape } from './types.js'

/** The person asking, as a rulebook knows them. */
export interface MeModel {
  readonly shape: Shape
  readonly key: string
  readonly fields: Fields
  /** Links from the claims to records. */
  readonly links: { readonly [name: string]: LinkModel }
  readonly roles?: Roles
}

/** Where the roles are, among the claims. */
export interface Roles {
  readonly term: TermNode
  /** Every role there is, where the shape lists them. */
  readonly known?: readonly string[]
}

/** A clause as the rulebook keeps it. */
export interface ClauseNode {
  /** Unique among the clauses of its action. */
  readonly title: string
  /** Everything that must hold. */
  readonly when: ConditionNode
  readonly who: ConditionNode
  readonly provided: readonly ConditionNode[]
  /** The fields that it lets see, send or change; undefined where it lets all of them. */
  readonly fields?: readonly string[]
  /** Whether these are the fields of `.only`, or all but those of `.except`. */
  readonly limitedBy?: 'only' | 'except'
  /** Stamped fields, or the key, that it lets give all the same. */
  readonly overriding?: readonly string[]
  /** What must hold of an updated record in place of the clause itself. */
  readonly afterwards?: ConditionNode
  /** The routines, within any of which alone it counts. */
  readonly within?: readonly string[]
}

/** What the server sets, by field. */
export type StampNodes = { readonly [field: string]: TermNode }

/** A rule that withholds actions. */
export interface VetoNode {
  readonly title: string
  readonly actions: readonly string[]
  /** Where it withholds them: where it applies, and its exception does not. */
  readonly when: ConditionNode
  readonly message: string
}

/** The message of a gate for the people that it refuses. */
export interface GateWordsNode {
  readonly when: ConditionNode
  readonly message: string
}

/** The rules of one record type. */
export interface TypeRules {
  /** What must hold before any clause of the action counts. */
  readonly gates: { readonly [action: string]: ConditionNode }
  /** The words of those of the gates that have some. */
  readonly gateMessages?: { readonly [action: string]: readonly GateWordsNode[] }
  readonly vetoes: readonly VetoNode[]
  readonly may: { readonly [A in Action]: readonly ClauseNode[] } & { readonly [action: string]: readonly ClauseNode[] }
  readonly messages: { readonly [action: string]: string }
  readonly stamps: { readonly create: StampNodes; readonly update: StampNodes }
}

/** A record type with everything said about it. */
export interface TypeModel {
  readonly name: string
  readonly shape: Shape
  readonly key: string
  readonly fields: Fields
  /** The fields that hold keys, of this record and of others: blank text in them is missing. */
  readonly ids: readonly string[]
  readonly links: { readonly [name: string]: LinkModel }
  /** The four actions, and those that the type names besides. */
  readonly actions: readonly string[]
  readonly standings: { readonly [name: string]: ConditionNode }
  readonly rules?: TypeRules
}

/** A rulebook as plain frozen data. */
export interface Model {
  readonly me: MeModel
  readonly types: { readonly [name: string]: TypeModel }
  /** What must hold before any clause of any record type counts. */
  readonly gate?: ConditionNode
  /** The words of those of its parts that have some. */
  readonly gateMessages?: readonly GateWordsNode[]
  /** Permissions that belong to no record, each with the conditions of which any grants it. */
  readonly privileges: { readonly [name: string]: ConditionNode }
  /** Server procedures, each with the conditions of which any lets call it. */
  readonly routines: { readonly [name: string]: ConditionNode }
  /** What is probably a mistake, yet could be meant. */
  readonly warnings: readonly string[]
}

/** The record type of that name. @throws UnknownNameError */
export function typeModel(model: Pick<Model, 'types'>, type: string): TypeModel {
  if (typeof type !== 'string' || !Object.hasOwn(model.types, type))
    throw new UnknownNameError('record type', type, Object.keys(model.types))
  return model.types[type] as TypeModel
}

/** Where the key of a record is. */
export function keyPlace({ key, fields }: TypeModel): { readonly path: readonly [string]; readonly type: 'integer' | 'id' } {
  return { path: [key], type: fields[key]?.type === 'integer' ? 'integer' : 'id' }
}

/** The action of that name: one of the four, or another that the record type names. @throws UnknownNameError */
export function knownAction({ name, actions }: TypeModel, action: string): string {
  if (!actions.includes(action)) throw new UnknownNameError('action', action, actions, name)
  return action
}

/** A field of a record type, by its name. @throws UnknownNameError */
export function fieldOf(type: TypeModel, name: string): Field {
  if (typeof name !== 'string' || !Object.hasOwn(type.fields, name))
    throw new UnknownNameError('field', name, Object.keys(type.fields), type.name)
  return type.fields[name] as Field
}

/** Whether some clause lets clients give the key of a new record: the keys of removed ones are kept then, so that none is used again. */
export function keysAreGiven({ key, rules }: TypeModel): boolean {
  return rules?.may.create.some(({ overriding }) => overriding?.includes(key)) === true
}
