import type { ConditionNode, SomeNode, TermNode } from '../condition/nodes.js'
import { UnknownNameError } from './error.js'
import { serverKey } from './keys.js'
import type { LinkModel } from './links.js'
import type { Field, Fields } from './shape.js'
import type { Action, Shape } from './types.js'

/** The person in a rulebook. */
export interface MeModel {
  readonly shape: Shape
  readonly key: string
  readonly fields: Fields
  /** Links from the claims to records. */
  readonly links: { readonly [name: string]: LinkModel }
  readonly roles?: Roles
  /** The time zone of `today`. */
  readonly timeZone?: string
}

/** Where the roles are: in a claim, or in a field of the person's records. */
export interface Roles {
  readonly term: TermNode
  /** The records with a role: the last part of the condition is that the role is present. */
  readonly rows?: SomeNode
  /** All roles, if the shape lists them. */
  readonly known?: readonly (string | number)[]
}

/** A clause in the model. */
export interface ClauseNode {
  /** Unique within its action. */
  readonly title: string
  /** Everything that must hold. */
  readonly when: ConditionNode
  readonly who: ConditionNode
  readonly provided: readonly ConditionNode[]
  /** The fields that it allows to see, send or change; undefined for all. */
  readonly fields?: readonly string[]
  /** Whether the fields come from `.only` or `.except`. */
  readonly limitedBy?: 'only' | 'except'
  /** Stamped fields, or the key, that a client may send anyway. */
  readonly overriding?: readonly string[]
  /** What must hold on the changed record, instead of the clause itself. */
  readonly afterwards?: ConditionNode
  /** If present, it counts only within one of these routines. */
  readonly within?: readonly string[]
  /** Whether it also counts for removed records. */
  readonly includingRemoved?: true
}

/** The values that the server sets, by field. */
export type StampNodes = { readonly [field: string]: TermNode }

/** A rule that withholds actions. */
export interface VetoNode {
  readonly title: string
  readonly actions: readonly string[]
  /** Where it refuses: its condition holds and its exception does not. */
  readonly when: ConditionNode
  readonly message: string
}

/** Something that must never be possible, for any person and any records. */
export interface GuaranteeNode {
  /** Unique within its record type. */
  readonly title: string
  readonly never: string
  /** The fields that nobody may see, send or change; undefined for the action itself. */
  readonly fields?: readonly string[]
  readonly provided: ConditionNode
  readonly unless?: ConditionNode
  /** Only what may be done within this routine, or, with false, outside of all routines. */
  readonly within?: string | false
  /** It is about a privilege or a routine, which `never` names. */
  readonly of?: 'privilege' | 'routine'
}

/** A way of giving oneself more by a write, which the author accepts. */
export interface AcceptanceNode {
  readonly write: 'create' | 'update' | 'delete'
  /** The standing, role or title of the clause that allows the write. Undefined: any. */
  readonly by?: string
  /** Record types by the action that is gained. */
  readonly gains: 'everything' | { readonly [action: string]: readonly string[] }
  readonly because: string
}

/** The message of a gate for the people that it refuses. */
export interface GateWordsNode {
  readonly when: ConditionNode
  readonly message: string
}

/** A condition on every record of a type, with its message for the people that it refuses. */
export interface EveryRecordNode {
  readonly when: ConditionNode
  readonly message?: string
}

/** The rules of one record type. */
export interface TypeRules {
  /** What must hold before any clause of the action counts. */
  readonly gates: { readonly [action: string]: ConditionNode }
  /** The messages of the gates that have one. */
  readonly gateMessages?: { readonly [action: string]: readonly GateWordsNode[] }
  readonly vetoes: readonly VetoNode[]
  readonly may: { readonly [A in Action]: readonly ClauseNode[] } & { readonly [action: string]: readonly ClauseNode[] }
  readonly messages: { readonly [action: string]: string }
  /** Those of delete: for record types that are removed and not deleted. */
  readonly stamps: { readonly create: StampNodes; readonly update: StampNodes; readonly delete?: StampNodes }
}

/** A record type with everything that was defined for it. */
export interface TypeModel {
  readonly name: string
  readonly shape: Shape
  /** The fields of the key: one, or several. */
  readonly keys: readonly string[]
  readonly fields: Fields
  /** The fields that hold keys of this type or others: blank text in them is missing. */
  readonly ids: readonly string[]
  readonly links: { readonly [name: string]: LinkModel }
  /** The four actions and those that the type names. */
  readonly actions: readonly string[]
  readonly standings: { readonly [name: string]: ConditionNode }
  /** The fields whose values the database sets when a record is written. */
  readonly generated?: readonly string[]
  /** The field that a deletion stamps, if records of this type are removed and not deleted. */
  readonly removal?: string
  /** The conditions of `everyRecord` on this type. They are part of the gates of its rules too. */
  readonly everyRecord?: readonly EveryRecordNode[]
  readonly rules?: TypeRules
  /** What must never be possible, whatever its rules say. They decide nothing: `pachter prove` judges them. */
  readonly guarantees?: readonly GuaranteeNode[]
  /** What `pachter prove` finds of people who give themselves more, and the author accepts. */
  readonly accepts?: readonly AcceptanceNode[]
  /** Whether its rules come from `grant` only, so that its own can be added. */
  readonly grantsOnly?: true
}

/** A rulebook as plain frozen data. */
export interface Model {
  readonly me: MeModel
  readonly types: { readonly [name: string]: TypeModel }
  /** What must hold before any clause of any record type counts. */
  readonly gate?: ConditionNode
  /** The messages of its parts that have one. */
  readonly gateMessages?: readonly GateWordsNode[]
  /** What must never be possible with privileges and routines. */
  readonly guarantees?: readonly GuaranteeNode[]
  /** Permissions that belong to no record. Any of the conditions grants it. */
  readonly privileges: { readonly [name: string]: ConditionNode }
  /** Server procedures. Any of the conditions allows to call it. */
  readonly routines: { readonly [name: string]: ConditionNode }
}

/** The record type with that name. @throws UnknownNameError */
export function typeModel(model: Pick<Model, 'types'>, type: string): TypeModel {
  if (typeof type !== 'string' || !Object.hasOwn(model.types, type))
    throw new UnknownNameError('record type', type, Object.keys(model.types))
  return model.types[type] as TypeModel
}

/** The action with that name: one of the four, or a named one of the type. @throws UnknownNameError */
export function knownAction({ name, actions }: TypeModel, action: string): string {
  if (!actions.includes(action)) throw new UnknownNameError('action', action, actions, name)
  return action
}

/** The field of a record type with that name. @throws UnknownNameError */
export function fieldOf(type: TypeModel, name: string): Field {
  if (typeof name !== 'string' || !Object.hasOwn(type.fields, name))
    throw new UnknownNameError('field', name, Object.keys(type.fields), type.name)
  return type.fields[name] as Field
}

/**
 * Whether some clause lets clients choose the key of a new record. Then the keys of deleted records are kept, so that none is used again.
 * Keys of several fields say which records belong together, as a membership does, and may come again.
 */
export function keysAreGiven(type: Pick<TypeModel, 'keys' | 'rules'>): boolean {
  const key = serverKey(type)
  return key !== undefined && type.rules?.may.create.some(({ overriding }) => overriding?.includes(key)) === true
}
