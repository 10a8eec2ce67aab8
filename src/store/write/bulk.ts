import { type ConditionNode, PachterError, TRUE } from '../../condition/index.js'
import {
  type Condition,
  isKey,
  type Key,
  type KeyOf,
  type Model,
  type RecordTerms,
  type RowOf,
  readKey,
  type TypeModel,
  type TypeName,
  type World,
} from '../../rulebook/index.js'
import { QueryError } from '../errors.js'
import { readWhere } from '../read/query.js'

/** Which records to change: by their keys, or the visible ones that match a condition. */
export type Which<W extends World = World, K extends TypeName<W> = TypeName<W>> =
  | { readonly keys: readonly KeyOf<RowOf<W, K>, W['keys'][K]>[]; readonly where?: undefined }
  | { readonly where: (record: RecordTerms<K, W>) => Condition; readonly keys?: undefined }

/** The options of a bulk change. */
export interface BulkOptions {
  /** Changes the records that the asker may change and reports the rest, instead of all or nothing. */
  readonly partial?: boolean
}

/** A record that a bulk change could not change. */
export interface RefusedRecord {
  readonly key: Key
  readonly code: string
  readonly message: string
}

/** The result of a bulk change. */
export interface BulkResult {
  readonly done: readonly Key[]
  /** Empty, unless `partial` was set. */
  readonly refused: readonly RefusedRecord[]
}

/** A bulk change is not allowed on some of the records, so none was changed. `refused` lists them. To change the others, set `partial`. */
export class BulkError extends PachterError {
  readonly refused: readonly RefusedRecord[]

  constructor(type: string, count: number, refused: readonly RefusedRecord[]) {
    const some = refused.slice(0, 3).map(({ key, message }) => `${key}: ${message}`)
    super(
      'IN_THE_WAY',
      `${refused.length} of ${count} ${type} records may not be changed, so none was. ${some.join(' ')}${refused.length > 3 ? ' ...' : ''}`,
    )
    this.refused = refused
  }
}

/** Reads which records to change. @throws QueryError */
export function readWhich(types: Model['types'], type: TypeModel, which: unknown): { keys?: readonly Key[]; where: ConditionNode } {
  const { keys, where } = (typeof which === 'object' && which !== null ? which : {}) as { keys?: unknown; where?: unknown }
  if ((keys === undefined) === (where === undefined))
    throw new QueryError(type.name, 'say which records, with { keys: [...] } or { where: (record) => ... }')
  if (keys === undefined) return { where: readWhere(types, type, where) }
  if (!Array.isArray(keys)) throw new QueryError(type.name, 'keys needs a list of keys')
  const named = keys.map((key) => readKey(type, key))
  const odd = named.findIndex((key) => !isKey(type, key))
  if (odd >= 0) throw new QueryError(type.name, `keys[${odd}] is not a key of ${type.name}`)
  return { keys: [...new Set(named)], where: TRUE }
}
