import { TRUE } from '../../condition/index.js'
import { type FieldName, fieldOf, type TypeModel, type TypeName, type World } from '../../rulebook/index.js'
import { QueryError } from '../errors.js'
import type { AboutAsker } from '../log.js'
import type { Operation } from '../operation.js'
import type { SortStep } from '../tables.js'
import { visibleField } from './filter-guards.js'
import { type DescribedOptions, type ListOptions, readSort } from './query.js'

/** Which records to count. */
export type CountOptions<W extends World, K extends TypeName<W>> = Pick<ListOptions<W, K>, 'where' | 'standing' | 'withoutStanding'>

/** The number of records with a value. */
export interface Counted {
  /** Undefined: records without a value. */
  readonly value: unknown
  readonly count: number
}

/** Which page of a list. */
export type PageOptions<W extends World, K extends TypeName<W>, F extends FieldName<W, K> = FieldName<W, K>> = Omit<
  ListOptions<W, K, F>,
  'limit'
> & {
  /** The page size. Default: 50. */
  readonly size?: number
  /** The `next` of the previous page. */
  readonly after?: string | undefined
}

/** Which page of a list, with further details for each record. */
export type DescribedPageOptions<W extends World, K extends TypeName<W>, F extends FieldName<W, K> = FieldName<W, K>> = Omit<
  DescribedOptions<W, K, F>,
  'limit'
> &
  Pick<PageOptions<W, K, F>, 'size' | 'after'>

/** A page of a list. */
export interface Page<R> {
  readonly records: R[]
  /** The start of the next page; undefined on the last page. */
  readonly next?: string
}

/** The order of a list for the asker: a hidden field counts as missing. */
export function orderFor({ asker }: Operation, type: TypeModel, sort: readonly SortStep[]): SortStep[] {
  return sort.map((step) => {
    const visible = visibleField(asker, type.name, step.field)
    return visible === TRUE ? step : { ...step, visible }
  })
}

// A cursor of an earlier version holds its place in another form.
const VERSION = 2

/** What a cursor is valid for: one person, type and order. */
export function aboutList({ who, trusted }: AboutAsker, type: TypeModel, sort: readonly SortStep[]): string {
  return JSON.stringify([VERSION, who, trusted === true, type.name, sort.map(({ field, descending }) => ({ field, descending }))])
}

/** A field to count by: one with a single value. @throws QueryError */
export function countField(type: TypeModel, name: string): string {
  fieldOf(type, name)
  readSort(type, [name])
  return name
}

/** The page size. @throws QueryError */
export function readSize(type: TypeModel, size: unknown = 50): number {
  if (!Number.isSafeInteger(size) || (size as number) < 1 || (size as number) > 1000)
    throw new QueryError(type.name, 'size has to be a whole number from 1 to 1000')
  return size as number
}
