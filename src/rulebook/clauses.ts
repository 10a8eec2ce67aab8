import { describe, describeOdd } from '../condition/describe.js'
import { allOfNode, type ConditionNode } from '../condition/nodes.js'
import { asksAfter, changesList } from '../condition/walk.js'
import { ACTIONS } from './actions.js'
import { here, made, used } from './build-context.js'
import type { Standing } from './clause-types.js'
import { CONDITION_METHODS, useCondition } from './conditions.js'
import { RulebookError, unknownName } from './error.js'
import { serverKey } from './keys.js'
import type { ClauseNode, TypeModel } from './model.js'
import { NODE } from './node.js'
import { finished } from './normalize.js'
import { afterwardsOf, checkIncludingRemoved, whenOf } from './removal.js'
import type { Action } from './types.js'

const DRAFT: unique symbol = Symbol.for('pachter.clause')

/** A clause before it is added to a rulebook. */
interface ClauseDraft {
  readonly who: ConditionNode
  readonly provided: readonly ConditionNode[]
  readonly title?: string
  /** The fields of `.only`, or of `.except`. */
  readonly limit?: { readonly by: 'only' | 'except'; readonly fields: readonly unknown[] }
  readonly overriding?: readonly unknown[]
  readonly afterwards?: ConditionNode
  readonly within?: readonly unknown[]
  readonly includingRemoved?: true
}

const CLAUSE_METHODS = {
  provided(this: object, ...conditions: unknown[]): object {
    const draft = draftOf(this) as ClauseDraft
    used(this)
    if (conditions.length === 0) throw new RulebookError(here(), 'provided() needs at least one condition')
    const provided = [...draft.provided, ...conditions.map((one) => useCondition(one, 'provided'))]
    return limited({ ...draft, provided })
  },
  only(this: object, ...fields: unknown[]): object {
    return limitedTo(this, 'only', fields)
  },
  except(this: object, ...fields: unknown[]): object {
    return limitedTo(this, 'except', fields)
  },
  overriding(this: object, ...fields: unknown[]): object {
    const draft = draftOf(this) as ClauseDraft
    used(this)
    if (fields.length === 0) throw new RulebookError(here(), 'overriding() needs at least one field')
    return limited({ ...draft, overriding: [...(draft.overriding ?? []), ...fields] })
  },
  afterwards(this: object, condition: unknown): object {
    const draft = draftOf(this) as ClauseDraft
    used(this)
    if (draft.afterwards !== undefined)
      throw new RulebookError(here(), 'afterwards(...) was called twice: combine the conditions with allOf(a, b)')
    return limited({ ...draft, afterwards: useCondition(condition, 'afterwards') })
  },
  within(this: object, ...routines: unknown[]): object {
    const draft = draftOf(this) as ClauseDraft
    used(this)
    if (routines.length === 0) throw new RulebookError(here(), 'within() needs at least one routine')
    return limited({ ...draft, within: [...(draft.within ?? []), ...routines] })
  },
  includingRemoved(this: object): object {
    const draft = draftOf(this) as ClauseDraft
    used(this)
    return limited({ ...draft, includingRemoved: true })
  },
  titled(this: object, title: unknown): object {
    const draft = draftOf(this) as ClauseDraft
    used(this)
    if (typeof title !== 'string' || title.trim() === '') throw new RulebookError(here(), 'titled() needs a text')
    return limited({ ...draft, title })
  },
}

const STANDING_METHODS = { ...CONDITION_METHODS, ...CLAUSE_METHODS }

/** A clause without limits, which is also a condition. */
export function standingClause<F extends string>(who: ConditionNode): Standing<F> {
  const clause = Object.create(STANDING_METHODS, { [NODE]: { value: who }, [DRAFT]: { value: { who, provided: [] } } })
  return made(Object.freeze(clause)) as Standing<F>
}

function limitedTo(clause: object, by: 'only' | 'except', fields: readonly unknown[]): object {
  const draft = draftOf(clause) as ClauseDraft
  used(clause)
  if (fields.length === 0) throw new RulebookError(here(), `${by}() needs at least one field`)
  if (draft.limit !== undefined) throw new RulebookError(here(), `${by}(...) after ${draft.limit.by}(...): use only one of them, once`)
  return limited({ ...draft, limit: { by, fields } })
}

function limited(draft: ClauseDraft): object {
  return made(Object.freeze(Object.create(CLAUSE_METHODS, { [DRAFT]: { value: draft } })))
}

function draftOf(value: unknown): ClauseDraft | undefined {
  return typeof value === 'object' && value !== null ? (value as { [DRAFT]?: ClauseDraft })[DRAFT] : undefined
}

/** Reads the clause from a value that an author put into `may`. */
export function useClause(value: unknown, at: string, type: TypeModel, action: string, known: ClauseScope): ClauseNode {
  const unfinished = draftOf(value)
  if (unfinished === undefined) {
    const condition = typeof value === 'object' && value !== null && NODE in value
    throw new RulebookError(
      at,
      condition
        ? 'a clause is needed, not a condition. Write anyone.provided(condition) or signedIn.provided(condition).'
        : `a clause is needed, as in holder or anyone.provided(...), not ${describeOdd(value)}`,
    )
  }
  used(value)
  const { who, provided: also, afterwards: later } = unfinished
  const draft: ClauseDraft = {
    ...unfinished,
    who: finished(who, at),
    provided: also.map((one) => finished(one, at)),
    ...(later ? { afterwards: finished(later, at) } : {}),
  }
  if (draft.limit !== undefined && action === 'delete')
    throw new RulebookError(at, `${draft.limit.by}(...) cannot be used here: delete always affects the whole record`)
  if (draft.limit !== undefined && !ACTIONS.includes(action as Action))
    throw new RulebookError(
      at,
      `${draft.limit.by}(...) cannot be used here: the action ${action} changes no fields by itself. Limit the fields of update.`,
    )
  const strange = draft.within?.find((name) => !known.routines.includes(name as string))
  if (strange !== undefined)
    throw new RulebookError(
      at,
      `within: ${unknownName('routine', strange, known.routines)}. Call .routines({ ... }) before .rules({ ... }).`,
    )
  if (action !== 'update' && (draft.afterwards !== undefined || [draft.who, ...draft.provided].some(asksAfter))) {
    throw new RulebookError(at, '"after", the record as it becomes, can be used in rules of update only')
  }
  if (draft.afterwards === undefined && [draft.who, ...draft.provided].some(changesList)) {
    throw new RulebookError(
      at,
      'a clause with adds or removes needs .afterwards(...). Without it, the clause would also have to hold after the update, when nothing more is added. For example: .afterwards(signedIn).',
    )
  }
  checkIncludingRemoved(draft, type, action, at)
  const overriding = overriddenBy(draft, type, action, at, known.stamped)
  const fields = fieldsOf(draft, type, at)
  const title = draft.title ?? titleOf(draft, `the ${type.name}`)
  return Object.freeze({
    title,
    when: whenOf(type, action, draft),
    who: draft.who,
    provided: Object.freeze([...draft.provided]),
    ...(fields && draft.limit ? { fields, limitedBy: draft.limit.by } : {}),
    ...(overriding ? { overriding } : {}),
    ...afterwardsOf(type, action, draft),
    ...(draft.within ? { within: Object.freeze([...draft.within] as string[]) } : {}),
    ...(draft.includingRemoved ? { includingRemoved: true as const } : {}),
  })
}

function fieldsOf({ limit }: ClauseDraft, type: TypeModel, at: string): readonly string[] | undefined {
  if (limit === undefined) return undefined
  const known = Object.keys(type.fields)
  for (const name of limit.fields) {
    if (!known.includes(name as string)) throw new RulebookError(at, `${limit.by}: ${unknownName('field', name, known)}`)
  }
  return Object.freeze(known.filter((name) => limit.fields.includes(name) === (limit.by === 'only')))
}

/** The names that a clause may use besides fields. */
export interface ClauseScope {
  readonly stamped: Stamped
  readonly routines: readonly string[]
}

/** The stamped fields of each action. */
export type Stamped = { readonly create: readonly string[]; readonly update: readonly string[] }

function overriddenBy(draft: ClauseDraft, type: TypeModel, action: string, at: string, stamps: Stamped): readonly string[] | undefined {
  if (draft.overriding === undefined) return undefined
  if (action !== 'create' && action !== 'update')
    throw new RulebookError(at, 'overriding(...) can be used in rules of create and update only')
  const known = action === 'create' ? [...new Set([...ownKey(type), ...stamps.create, ...(type.generated ?? [])])] : stamps.update
  const odd = draft.overriding.find((name) => !known.includes(name as string))
  if (odd !== undefined) throw new RulebookError(at, `overriding: ${unknownName(`stamped field on ${action}`, odd, known)}`)
  return Object.freeze([...draft.overriding] as string[])
}

/** The key, if the server makes it up. */
function ownKey(type: TypeModel): readonly string[] {
  const key = serverKey(type)
  return key === undefined ? [] : [key]
}

function titleOf({ who, provided, limit, overriding, afterwards, within, includingRemoved }: ClauseDraft, record: string): string {
  const condition = provided.length === 0 ? '' : `, provided ${describe(allOfNode(provided), { record })}`
  const fields = limit === undefined ? '' : `; ${limit.by === 'only' ? 'only' : 'all but'} ${limit.fields.join(', ')}`
  const routines = within === undefined ? '' : `; within ${within.join(' or ')}`
  const removed = includingRemoved ? '; including removed' : ''
  const given = overriding === undefined ? '' : `; overriding ${overriding.join(', ')}`
  return `${describe(who, { record })}${condition}${fields}${given}${routines}${removed}${afterwards === undefined ? '' : `; afterwards ${describe(afterwards, { record })}`}`
}
