import { allOfNode, notNode } from '../condition/index.js'
import { isKeyField, type Model, type TypeModel, typeModel } from '../rulebook/index.js'
import { ask } from './ask.js'
import type { Example } from './example.js'
import { type Grant, grantedTo, type Permission, permitted } from './permissions.js'
import { DEFAULT_LIMITS, type Found, type SearchLimits } from './search.js'

/** What changed for everyone between two rulebooks, of one action, or of one field. */
export interface Widening {
  readonly permission: Permission | Grant
  readonly change: 'gained' | 'lost'
  /** The person and the records for which it changed; undefined where it is not known whether it did. */
  readonly example?: Example
  readonly because?: string
}

/** A question of a comparison, and its answer: undefined if nothing changed. */
export interface Compared {
  readonly permission: Permission | Grant
  readonly widening?: Widening
}

/**
 * Compares two rulebooks for every person and all records: what anyone may do by the second and not by the first, and the other way round.
 * Both have the same shapes and links; record types and fields of the second are compared.
 * @throws ProofError if the solver made a mistake
 * @example
 * const opened = [...driftForEveryone(before.model, after.model, ['gained'])].filter(({ widening }) => widening !== undefined)
 */
export function* driftForEveryone(
  before: Model,
  after: Model,
  changes: readonly Widening['change'][] = ['gained', 'lost'],
  limits: SearchLimits = DEFAULT_LIMITS,
): Generator<Compared> {
  for (const grant of grantsOf(after)) for (const change of changes) yield comparedGrant(before, after, grant, change, limits)
  for (const type of Object.values(after.types))
    for (const permission of permissionsOf(type))
      for (const change of changes) {
        const whole = compared(before, after, permission, change, limits)
        yield whole
        // Within routines nothing changed; outside of them, something might have.
        const hasRoutine = [before, after].some((model) => usesRoutine(model, permission))
        if (hasRoutine && whole.widening === undefined) yield compared(before, after, { ...permission, outside: true }, change, limits)
      }
}

function usesRoutine({ types }: Model, { type, action }: Permission): boolean {
  return types[type]?.rules?.may[action]?.some(({ within }) => within !== undefined) === true
}

function grantsOf({ privileges, routines }: Model): readonly Grant[] {
  return [
    ...Object.keys(privileges).map((name) => ({ kind: 'privilege' as const, name })),
    ...Object.keys(routines).map((name) => ({ kind: 'routine' as const, name })),
  ]
}

function comparedGrant(before: Model, after: Model, permission: Grant, change: Widening['change'], limits: SearchLimits): Compared {
  const [more, less] = change === 'gained' ? [after, before] : [before, after]
  const when = allOfNode([grantedTo(more, permission), notNode(grantedTo(less, permission))])
  return shown(permission, change, ask({ model: after, when }, limits))
}

function shown(permission: Permission | Grant, change: Widening['change'], found: Found): Compared {
  if (found.kind === 'none') return { permission }
  return {
    permission,
    widening: { permission, change, ...(found.kind === 'example' ? { example: found.example } : { because: found.because }) },
  }
}

function compared(before: Model, after: Model, permission: Permission, change: Widening['change'], limits: SearchLimits): Compared {
  const type = typeModel(after, permission.type)
  const old = Object.hasOwn(before.types, type.name) ? before.types[type.name] : undefined
  const isNew = old === undefined || !isKnown(old, permission)
  const [more, less] = change === 'gained' ? [after, before] : [before, after]
  if (change === 'lost' && isNew) return { permission }
  const when = allOfNode([permitted(more, permission), ...(isNew ? [] : [notNode(permitted(less, permission))])])
  // The shapes and links are those of the newer rulebook.
  const ruled: TypeModel = { ...type, ...rulesOf(more, type.name) }
  const found = ask({ model: { ...after, types: { ...after.types, [type.name]: ruled } }, permission, when }, limits)
  return shown(permission, change, found)
}

function rulesOf({ types }: Model, name: string): Pick<TypeModel, 'rules'> {
  const rules = types[name]?.rules
  return rules === undefined ? {} : { rules }
}

function isKnown({ actions, fields }: TypeModel, { action, field }: Permission): boolean {
  return actions.includes(action) && (field === undefined || Object.hasOwn(fields, field))
}

/** Everything that may be done to records of a type: each action, and each field of those that have limits. */
export function permissionsOf({ name: type, actions, fields, keys }: TypeModel): readonly Permission[] {
  const names = Object.keys(fields).filter((name) => !isKeyField({ keys }, name))
  return actions.flatMap((action) => {
    const byField = action === 'read' || action === 'create' || action === 'update' ? names.map((field) => ({ type, action, field })) : []
    return [{ type, action }, ...byField]
  })
}
