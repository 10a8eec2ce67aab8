import { type ConditionNode, describeOdd, interned, isPachterError, leavesOf, TRUE } from '../../condition/index.js'
import {
  type Action,
  type Condition,
  conditionNode,
  type FieldName,
  fieldOf,
  finished,
  knownAction,
  type Model,
  noLeftovers,
  type RecordTerms,
  recordTerms,
  type SeenRow,
  type StandingName,
  type TypeModel,
  type TypeName,
  unknownName,
  used,
  type World,
} from '../../rulebook/index.js'
import { QueryError } from '../errors.js'
import type { SortStep } from '../tables.js'

/** Which of the visible records to list, and how. */
export interface ListOptions<W extends World, K extends TypeName<W>, F extends FieldName<W, K> = FieldName<W, K>> {
  /** A further condition. It narrows what the rules allow, and never widens it. */
  readonly where?: (record: RecordTerms<K, W>) => Condition
  /**
   * The fields to sort by, most important first; `-field` is descending. Missing values come last in both directions. The key decides ties,
   * in the direction of the last field.
   */
  readonly sort?: readonly (FieldName<W, K> | `-${FieldName<W, K>}`)[]
  /** Only records on which this person has the standing, or one of these. */
  readonly standing?: StandingName<K, W> | readonly StandingName<K, W>[]
  /** Only records on which this person has none of these standings. */
  readonly withoutStanding?: StandingName<K, W> | readonly StandingName<K, W>[]
  /** The most records to return. */
  readonly limit?: number
  /** Only these fields and the key. */
  readonly fields?: readonly F[]
  readonly withActions?: undefined
  readonly withStandings?: false
}

/** Which records to list, with further details: every record then comes as `{ record, may, standings, seenBy }`. */
export type DescribedOptions<W extends World, K extends TypeName<W>, F extends FieldName<W, K> = FieldName<W, K>> = Omit<
  ListOptions<W, K, F>,
  'withActions' | 'withStandings'
> & {
  /** Also whether the asker may do these actions, and with which fields. */
  readonly withActions?: readonly Exclude<Action | W['actions'][K], 'create'>[]
  /** Also the asker's standings on the record, and the clauses by which they see it. */
  readonly withStandings?: boolean
}

/** The verdict on an action. */
export interface Permitted {
  readonly allowed: boolean
  /** The fields that the asker may see or change, besides the key; undefined for all. */
  readonly fields?: readonly string[]
  /** The message of the veto, or of a blocking record that the asker sees. */
  readonly message?: string
}

/** A record with its requested details. */
export interface Described<R> {
  readonly record: R
  /** With `withActions`. */
  readonly may: { readonly [action: string]: Permitted | undefined }
  /** With `withStandings`: the standings that hold. */
  readonly standings: readonly string[]
  /** With `withStandings`: the titles of the read clauses that hold. */
  readonly seenBy: readonly string[]
}

/** A record with the requested fields. */
export type Picked<W extends World, K extends TypeName<W>, F extends FieldName<W, K>> = Pick<
  SeenRow<W, K>,
  (F | W['keys'][K]) & keyof SeenRow<W, K>
>

/** The terms of each record type, which are the same for every filter. */
const terms = new WeakMap<TypeModel, object>()

function termsFor(types: Model['types'], type: TypeModel): object {
  const there = terms.get(type) ?? recordTerms(types, type)
  terms.set(type, there)
  return there
}

/** The condition of a list. */
export function readWhere(types: Model['types'], type: TypeModel, where: unknown): ConditionNode {
  if (where === undefined) return TRUE
  if (typeof where !== 'function')
    throw new QueryError(type.name, `where needs a function: (${type.name}) => ${type.name}.${type.keys[0]}.is(...)`)
  try {
    return noLeftovers(
      'where',
      () => where(termsFor(types, type)) as unknown,
      (condition) => {
        const node = conditionNode(condition)
        if (node === undefined) throw new QueryError(type.name, 'where must return a condition')
        used(condition)
        // For example by a standing: it may depend on claims, or on fields of the person's own record, that the person must not learn.
        if (leavesOf(node).some(({ kind }) => kind === 'claim'))
          throw new QueryError(
            type.name,
            'a filter cannot depend on the person, as a standing does: compare a field with a value, such as the own key',
          )
        return interned(finished(node, 'where'))
      },
    )
  } catch (error) {
    throw isPachterError(error, 'BAD_RULEBOOK') ? new QueryError(type.name, error.message) : error
  }
}

/** The order of a list. It always ends with the key, so that it is deterministic. */
export function readSort(type: TypeModel, sort: readonly string[] = []): SortStep[] {
  if (!Array.isArray(sort)) throw new QueryError(type.name, 'sort needs a list of fields')
  const steps = sort.map((text: unknown) => {
    if (typeof text !== 'string') throw new QueryError(type.name, `sort needs a list of fields, and ${describeOdd(text)} is not one`)
    const descending = text.startsWith('-')
    const name = descending ? text.slice(1) : text
    const field = fieldOf(type, name)
    if (field.list || field.type === 'group' || field.type === 'other') {
      throw new QueryError(type.name, `"${name}" cannot be sorted by: it holds ${field.list ? 'a list' : 'more than a single value'}`)
    }
    return { field: name, descending }
  })
  // In the direction of the last field, so that one index can serve the whole order.
  const descending = steps.at(-1)?.descending ?? false
  const rest = type.keys.filter((key) => !steps.some(({ field }) => field === key))
  return [...steps, ...rest.map((field) => ({ field, descending }))]
}

/** The limit of a list. */
export function readLimit(type: TypeModel, limit: unknown): number | undefined {
  if (limit === undefined) return undefined
  if (!Number.isSafeInteger(limit) || (limit as number) < 0)
    throw new QueryError(type.name, `limit has to be a whole number from 0 on, not ${describeOdd(limit)}`)
  return limit as number
}

/** The actions to judge for each record. */
export function readActions(type: TypeModel, actions: unknown): readonly string[] {
  if (actions === undefined) return []
  if (!Array.isArray(actions)) throw new QueryError(type.name, 'withActions needs a list of actions')
  const odd = actions.find((action) => action === 'create')
  if (odd !== undefined)
    throw new QueryError(type.name, 'withActions: an existing record cannot be created. Use may("create", ...) instead.')
  return actions.map((action) => knownAction(type, action))
}

/** The fields to return. */
export function readFields(type: TypeModel, fields: unknown): readonly string[] | undefined {
  if (fields === undefined) return undefined
  if (!Array.isArray(fields)) throw new QueryError(type.name, 'fields needs a list of fields')
  for (const name of fields) fieldOf(type, name)
  return fields
}

/** The options of a list as they were given, whatever they are. */
interface OptionsGiven {
  readonly where?: unknown
  readonly standing?: unknown
  readonly withoutStanding?: unknown
}

/** The options of a list: an object, or nothing. */
export function readOptions(type: string, options: unknown, known: readonly string[] = LIST_OPTIONS): OptionsGiven {
  if (options === undefined) return {}
  if (typeof options !== 'object' || options === null || Array.isArray(options)) {
    throw new QueryError(type, `the options (where, sort, limit, fields) have to be an object, not ${describeOdd(options)}`)
  }
  const odd = Object.keys(options).find((name) => !known.includes(name))
  if (odd !== undefined) throw new QueryError(type, unknownName('option', odd, known))
  return options
}

/** Which records: the options of counts, and some of those of lists. */
export const COUNT_OPTIONS: readonly string[] = ['where', 'standing', 'withoutStanding']
const LIST_OPTIONS: readonly string[] = [...COUNT_OPTIONS, 'sort', 'limit', 'fields', 'include', 'withActions', 'withStandings']
/** The options of a page. */
export const PAGE_OPTIONS: readonly string[] = [
  ...COUNT_OPTIONS,
  'sort',
  'fields',
  'size',
  'after',
  'include',
  'withActions',
  'withStandings',
]
