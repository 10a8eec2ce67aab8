import { type ConditionNode, PachterError, TRUE } from '../../condition/index.js'
import type { Condition, Key, Model, RecordTerms, TypeModel, TypeName, World } from '../../rulebook/index.js'
import { QueryError } from '../errors.js'
import { isKey } from '../operation.js'
import { readWhere } from '../read/query.js'

/** Which records a change is meant for: by their keys, or those that one may see of which a condition holds. */
export type Which<W extends World = World, K extends TypeName<W> = TypeName<W>> =
  | { readonly keys: readonly Key[]; readonly where?: undefined }
  | { readonly where: (record: RecordTerms<K, W>) => Condition; readonly keys?: undefined }

/** How a change of several records is done. */
export interface BulkOptions {
  /** Does what may be done and reports the rest, instead of doing all or nothing. */
  readonly partial?: boolean
}

/** A record that a change of several could not be made to. */
export interface InTheWay {
  readonly key: Key
  readonly code: string
  readonly message: string
}

/** What became of a change of several records. */
export interface BulkResult {
  readonly done: readonly Key[]
  /** Empty, unless part of it was to do. */
  readonly inTheWay: readonly InTheWay[]
}

/** A change of several records to some of which it may not be made. None was changed. */
export class BulkError extends PachterError {
  readonly inTheWay: readonly InTheWay[]

  constructor(type: string, count: number, inTheWay: readonly InTheWay[]) {
    const some = inTheWay.slice(0, 3).map(({ key, message }) => `${key}: ${message}`)
    super(
      'IN_THE_WAY',
      `${inTheWay.length} of ${count} ${type} records stand in the way, so none was changed. ${some.join(' ')}${inTheWay.length > 3 ? ' ...' : ''}`,
    )
    this.inTheWay = inTheWay
  }
}

/** Reads which records are meant. @throws QueryError */
export function readWhich(types: Model['types'], type: TypeModel, which: unknown): { keys?: readonly Key[]; where: ConditionNode } {
  const { keys, where } = (typeof which === 'object' && which !== null ? which : {}) as { keys?: unknown; where?: unknown }
  if ((keys === undefined) === (where === undefined))
    throw new QueryError(type.name, 'say which records: { keys: [...] } or { where: (record) => ... }')
  if (keys === undefined) return { where: readWhere(types, type, where) }
  if (!Array.isArray(keys)) throw new QueryError(type.name, 'keys is a list of keys')
  const odd = keys.findIndex((key) => !isKey(type, key))
  if (odd >= 0) throw new QueryError(type.name, `keys[${odd}] is no key of a ${type.name}`)
  return { keys: [...new Set(keys as Key[])], where: TRUE }
}
