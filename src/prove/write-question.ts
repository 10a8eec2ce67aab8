import {
  allOfNode,
  anyOfNode,
  askedOf,
  type ConditionNode,
  compareNode,
  type FieldNode,
  highestEach,
  NOW,
  notNode,
  someNode,
} from '../condition/index.js'
import {
  type ClauseNode,
  fieldOf,
  isSet,
  keysAreGiven,
  type LinkModel,
  type Model,
  serverKey,
  type TypeModel,
  typeModel,
} from '../rulebook/index.js'
import type { Encoder } from './encoder.js'
import type { Around, Change } from './encoding.js'
import { areApart } from './identity.js'
import { changes, clausesOf, fieldNode, permitted, stampedWith, stampsOf } from './permissions.js'
import type { Literal } from './solver.js'
import { unchanged } from './updates.js'

/** One write that a person may make. */
export interface Write {
  readonly type: string
  readonly action: 'create' | 'update' | 'delete'
}

/** What a person may do to a stored record after a write, and could not before. */
export interface Gain {
  readonly type: string
  readonly action: string
}

/** A write in the words of the solver: what has to hold, the individuals, and how records are afterwards. */
export interface AskedWrite {
  readonly literals: readonly Literal[]
  readonly around: Around
  readonly change: Change
}

/** Says that a person makes a write which these clauses allow. */
export function askedWrite(encoder: Encoder, model: Model, write: Write, clauses: (clause: ClauseNode) => boolean): AskedWrite {
  const type = typeModel(model, write.type)
  const when = permitted(model, write, { clauses })
  switch (write.action) {
    case 'create':
      return created(encoder, model, type, when)
    case 'update': {
      const [record, after] = [encoder.record(type.name, true), encoder.record(type.name, false)]
      const around = { record, after }
      const conditions = [when, ...updateStamps(type), targetsSeen(model, type, 'update')].map((one) => encoder.encode(one, around))
      return {
        literals: [...conditions, ...unchanged(encoder, model, type.name, around, { clauses })],
        around,
        change: { ...writtenBy(model, write, clauses), before: record, after },
      }
    }
    case 'delete':
      return deleted(encoder, type, when)
  }
}

/** What a write can change of a record type. */
export function writtenBy(
  model: Model,
  { type: name, action }: Write,
  clauses: (clause: ClauseNode) => boolean,
): Pick<Change, 'type' | 'fields'> {
  const type = typeModel(model, name)
  if (action === 'update') return { type: name, fields: fieldsChanged(type, clauses) }
  return action === 'delete' && type.removal !== undefined ? { type: name, fields: stampedByDelete(type) } : { type: name }
}

function stampedByDelete(type: TypeModel): readonly string[] {
  return [...(type.removal === undefined ? [] : [type.removal]), ...Object.keys(type.rules?.stamps.delete ?? {})]
}

/** The fields that one of these clauses lets a person change, and those that are stamped then. */
function fieldsChanged(type: TypeModel, clauses: (clause: ClauseNode) => boolean): readonly string[] {
  const stamped = Object.keys(type.rules?.stamps.update ?? {})
  return Object.keys(type.fields).filter((name) => stamped.includes(name) || clausesOf(type, 'update', name).some(clauses))
}

/** A new record with a key of its own. */
function created(encoder: Encoder, model: Model, type: TypeModel, when: ConditionNode): AskedWrite {
  const after = encoder.record(type.name, false)
  const around = { record: after, after }
  const { individuals, values } = encoder
  encoder.everyOne({
    if: values.yes,
    covers: (one) => one.stored && one.type === type.name,
    follows: (one) => areApart(encoder, one, after),
  })
  // The next number is easy to guess: a record may lead to it already.
  const own = serverKey(type)
  const isFresh = own !== undefined && !keysAreGiven(type) && fieldOf(type, own).type !== 'integer'
  if (isFresh) individuals.fresh(after)
  const conditions = [when, ...stampsOf(type), targetsSeen(model, type, 'create')]
  return { literals: conditions.map((one) => encoder.encode(one, around)), around, change: { type: type.name, after, isFresh } }
}

/** A record that is gone, or marked as removed. */
function deleted(encoder: Encoder, type: TypeModel, when: ConditionNode): AskedWrite {
  const record = encoder.record(type.name, true)
  const literals = [encoder.encode(when, { record, after: record })]
  const { removal } = type
  if (removal === undefined) return { literals, around: { record, after: record }, change: { type: type.name, before: record } }
  const after = encoder.record(type.name, false)
  const stamped = stampedByDelete(type)
  const { yes } = encoder.values
  encoder.individuals.twins(record, after, ({ path }) => [stamped.includes(path[0] as string) ? -yes : yes])
  const isRemoved = encoder.encode(stampedWith(type, fieldNode(type, removal, 'after'), NOW), { record, after })
  return {
    literals: [...literals, isRemoved],
    around: { record, after },
    change: { type: type.name, before: record, after, fields: stamped },
  }
}

/** What the stamps of an update are where something is changed; a clause that overrides one may let another value be sent. */
function updateStamps(type: TypeModel): ConditionNode[] {
  const clauses = type.rules?.may.update ?? []
  return Object.entries(type.rules?.stamps.update ?? {}).flatMap(([name, term]) => {
    const [before, after] = [fieldNode(type, name, 'record'), fieldNode(type, name, 'after')]
    if (after.list || after.type === 'other' || clauses.some(({ overriding }) => overriding?.includes(name))) return []
    return [anyOfNode([stampedWith(type, after, term), notNode(changes(type, name, fieldOf(type, name))), improper(before)])]
  })
}

/** Where a field has no value that can be equal to another. */
function improper(field: FieldNode): ConditionNode {
  return notNode(compareNode(field, 'is', field))
}

/** That links are set only to records that the person sees. Of lists of ids, nothing is claimed. */
export function targetsSeen(model: Model, type: TypeModel, action: 'create' | 'update'): ConditionNode {
  const some = known.get(model) ?? new Map<string, ConditionNode>()
  known.set(model, some)
  const name = `${action} ${type.name}`
  const found = some.get(name) ?? allOfNode(targetsOf(model, type, action))
  some.set(name, found)
  return found
}

const known = new WeakMap<Model, Map<string, ConditionNode>>()

function targetsOf(model: Model, type: TypeModel, action: 'create' | 'update'): ConditionNode[] {
  return Object.values(type.links).flatMap((link) => {
    const fields = [...new Set(link.by.map(({ from }) => from.path[0] as string))]
    const isServers = (name: string) =>
      name === serverKey(type) || Object.hasOwn(type.rules?.stamps[action] ?? {}, name) || type.generated?.includes(name) === true
    if (!isSet(link, type) || link.by.some(({ from, to }) => from.list || to.list) || fields.some(isServers)) return []
    return [anyOfNode([...(action === 'update' ? [keptAt(type, fields)] : []), ...nowhere(link), leadsToSeen(model, link)])]
  })
}

function keptAt(type: TypeModel, fields: readonly string[]): ConditionNode {
  return allOfNode(fields.map((name) => notNode(changes(type, name, fieldOf(type, name)))))
}

/** Where a link leads nowhere, because one of its fields is missing or improper. */
function nowhere(link: LinkModel): ConditionNode[] {
  return link.by.map(({ from: { ignoringCase: _how, ...place } }) => improper({ kind: 'field', of: 'after', ...place, optional: true }))
}

function leadsToSeen(model: Model, link: LinkModel): ConditionNode {
  const seen = permitted(model, { type: link.to, action: 'read' })
  const each = highestEach(seen) + 1
  const by = link.by.map(({ to, from: { ignoringCase: _how, ...place } }) => ({
    to,
    from: { kind: 'field', of: 'after', ...place, optional: true } as const,
  }))
  return someNode(each, { kind: 'records', type: link.to, by }, askedOf(seen, 'record', each))
}
