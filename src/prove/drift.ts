import { allOfNode, notNode } from '../condition/index.js'
import { isKeyField, type Model, type TypeModel, typeModel } from '../rulebook/index.js'
import { grantsIn } from '../viewpoint/index.js'
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
 * Shapes and links are those of the second, but for what only the first has.
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
  for (const grant of inEither(before, after, grantsIn))
    for (const change of changes) yield comparedGrant(before, after, grant, change, limits)
  for (const name of Object.keys({ ...before.types, ...after.types }))
    for (const permission of inEither(before, after, ({ types }) => (types[name] === undefined ? [] : permissionsOf(types[name]))))
      for (const change of changes) {
        const whole = compared(before, after, permission, change, limits)
        yield whole
        // Within routines nothing changed; outside of them, something might have.
        const hasRoutine = [before, after].some((model) => usesRoutine(model, permission))
        if (hasRoutine && whole.widening === undefined) yield compared(before, after, { ...permission, outside: true }, change, limits)
      }
}

/** What both rulebooks have, and what only the older one has. */
function inEither<T>(before: Model, after: Model, of: (model: Model) => readonly T[]): readonly T[] {
  return [...new Map([...of(after), ...of(before)].map((one) => [JSON.stringify(one), one])).values()]
}

function usesRoutine({ types }: Model, { type, action }: Permission): boolean {
  return types[type]?.rules?.may[action]?.some(({ within }) => within !== undefined) === true
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
  const [more, less] = change === 'gained' ? [after, before] : [before, after]
  if (!isKnown(more, permission)) return { permission }
  const unless = isKnown(less, permission) ? [notNode(permitted(less, permission))] : []
  const when = allOfNode([permitted(more, permission), ...unless])
  // The shapes and links are those of the newer rulebook, but for what only the older one has.
  const type = typeModel(isKnown(after, permission) ? after : before, permission.type)
  const ruled: TypeModel = { ...type, ...rulesOf(more, type.name) }
  const model: Model = { ...after, types: { ...before.types, ...after.types, [type.name]: ruled } }
  return shown(permission, change, ask({ model, permission, when }, limits))
}

function rulesOf({ types }: Model, name: string): Pick<TypeModel, 'rules'> {
  const rules = types[name]?.rules
  return rules === undefined ? {} : { rules }
}

function isKnown({ types }: Model, { type: name, action, field }: Permission): boolean {
  const type = Object.hasOwn(types, name) ? types[name] : undefined
  return type?.actions.includes(action) === true && (field === undefined || Object.hasOwn(type.fields, field))
}

/** Everything that may be done to records of a type: each action, and each field of those that have limits. */
export function permissionsOf({ name: type, actions, fields, keys }: TypeModel): readonly Permission[] {
  const names = Object.keys(fields).filter((name) => !isKeyField({ keys }, name))
  return actions.flatMap((action) => {
    const byField = action === 'read' || action === 'create' || action === 'update' ? names.map((field) => ({ type, action, field })) : []
    return [{ type, action }, ...byField]
  })
}
