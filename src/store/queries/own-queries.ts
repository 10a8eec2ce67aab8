import { QueryCreator } from 'kysely'
import type { Asking } from '../tables.js'
import { type Asked, OwnExecutor } from './executor.js'
import { functionNames } from './raw-text.js'
import { OwnQueryError } from './refused.js'
import type { OwnQueries, OwnQueriesOptions } from './types.js'

const NAME = /^[A-Za-z_]\w*$/

/** The connection that queries are asked on. */
export interface QueriesOn extends Pick<Asked, 'db' | 'dialect' | 'layout' | 'broadIn'> {
  readonly isInTransaction: boolean
}

/** The builders for one person, on a connection. */
export async function queriesOn(
  { isInTransaction, ...on }: QueriesOn,
  { before, asked }: Asking,
  options: unknown,
): Promise<OwnQueries<any>> {
  const { db, dialect } = on
  const { functions = [], failed } = readOptions(options)
  const { reading } = dialect.transactions
  const executor = new OwnExecutor({
    ...{ ...on, before: await before(), asked, failed, isFunction: functionNames(functions) },
    // Other calls of a transaction write on the same connection, maybe at the same time.
    reading: (work) => (isInTransaction ? work(db) : reading(db, work)),
  })
  return readingOnly(new QueryCreator({ executor }))
}

/** The part of Kysely that reads. */
function readingOnly(creator: QueryCreator<any>): OwnQueries<any> {
  type Part = (queries: OwnQueries<any>) => any
  return Object.freeze({
    selectFrom: creator.selectFrom.bind(creator),
    selectNoFrom: creator.selectNoFrom.bind(creator),
    with: (name: string, part: Part) => readingOnly(creator.with(name, (inner: QueryCreator<any>) => part(readingOnly(inner)))),
    withRecursive: (name: string, part: Part) =>
      readingOnly(creator.withRecursive(name, (inner: QueryCreator<any>) => part(readingOnly(inner)))),
  }) as unknown as OwnQueries<any>
}

/** @throws OwnQueryError */
function readOptions(given: unknown): OwnQueriesOptions {
  if (typeof given !== 'object' || given === null) throw new OwnQueryError('its options are an object: { functions, failed }')
  const options = given as OwnQueriesOptions
  const odd = Object.keys(options).find((name) => name !== 'functions' && name !== 'failed')
  if (odd !== undefined) throw new OwnQueryError(`there is no option "${odd}": there are functions and failed`)
  const unnamed = (options.functions ?? []).find((name) => typeof name !== 'string' || !NAME.test(name))
  if (unnamed !== undefined) throw new OwnQueryError(`"${unnamed}" cannot be the name of a function`)
  return options
}
