import { type ConditionNode, describeOdd, isPachterError, TRUE } from '../condition/index.js'
import {
  type Condition,
  conditionNode,
  type FieldName,
  fieldOf,
  noLeftovers,
  type RecordTerms,
  recordTerms,
  type SeenRow,
  type TypeModel,
  type TypeName,
  used,
  type World,
} from '../rulebook/index.js'
import { QueryError } from './errors.js'
import type { SortStep } from './tables.js'

/** Which of the records that one may see to list, and how. */
export interface ListOptions<W extends World, K extends TypeName<W>, F extends FieldName<W, K> = FieldName<W, K>> {
  /** Only where this holds too. Narrows what the rules allow, and never widens it. */
  readonly where?: (record: RecordTerms<K, W>) => Condition
  /** Fields to order by, the first counting most; `-field` is descending. Missing values come last either way. */
  readonly sort?: readonly (FieldName<W, K> | `-${FieldName<W, K>}`)[]
  /** At most so many. */
  readonly limit?: number
  /** Only these fields, and the key. */
  readonly fields?: readonly F[]
}

/** A record of which some fields were asked for. */
export type Picked<W extends World, K extends TypeName<W>, F extends FieldName<W, K>> = Pick<
  SeenRow<W, K>,
  (F | W['keys'][K]) & keyof SeenRow<W, K>
>

/** The condition that a list is narrowed by. */
export function readWhere(type: TypeModel, where: unknown): ConditionNode {
  if (where === undefined) return TRUE
  if (typeof where !== 'function')
    throw new QueryError(type.name, `where is a function: (${type.name}) => ${type.name}.${type.key}.is(...)`)
  try {
    return noLeftovers(
      'where',
      () => where(recordTerms(type)) as unknown,
      (condition) => {
        const node = conditionNode(condition)
        if (node === undefined) throw new QueryError(type.name, 'where must return a condition')
        used(condition)
        return node
      },
    )
  } catch (error) {
    throw isPachterError(error, 'BAD_RULEBOOK') ? new QueryError(type.name, error.message) : error
  }
}

/** The order of a list. It always ends with the key, so that it is the same every time. */
export function readSort(type: TypeModel, sort: readonly string[] = []): SortStep[] {
  if (!Array.isArray(sort)) throw new QueryError(type.name, 'sort is a list of fields')
  const steps = sort.map((text: unknown) => {
    if (typeof text !== 'string') throw new QueryError(type.name, `sort is a list of fields, and ${describeOdd(text)} is none`)
    const descending = text.startsWith('-')
    const name = descending ? text.slice(1) : text
    const field = fieldOf(type, name)
    if (field.list || field.type === 'group' || field.type === 'other') {
      throw new QueryError(type.name, `"${name}" has no order: it holds ${field.list ? 'a list' : 'more than a single value'}`)
    }
    return { field: name, descending }
  })
  return steps.some(({ field }) => field === type.key) ? steps : [...steps, { field: type.key, descending: false }]
}

/** The most records to list. */
export function readLimit(type: TypeModel, limit: unknown): number | undefined {
  if (limit === undefined) return undefined
  if (!Number.isSafeInteger(limit) || (limit as number) < 0)
    throw new QueryError(type.name, `limit is a whole number from 0, not ${describeOdd(limit)}`)
  return limit as number
}

/** The fields to give, by name. */
export function readFields(type: TypeModel, fields: unknown): readonly string[] | undefined {
  if (fields === undefined) return undefined
  if (!Array.isArray(fields)) throw new QueryError(type.name, 'fields is a list of fields')
  for (const name of fields) fieldOf(type, name)
  return fields
}

/** What a list was asked with: an object, or nothing. */
export function readOptions(type: string, options: unknown): object {
  if (options === undefined) return {}
  if (typeof options !== 'object' || options === null || Array.isArray(options)) {
    throw new QueryError(type, `where, sort, limit and fields come in an object, not as ${describeOdd(options)}`)
  }
  return options
}
