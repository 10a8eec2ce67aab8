/**
 * Records in databases, through Kysely.
 * @module
 */
export { type KyselyOptions, overKysely } from '../store/backends/over-kysely.js'
export {
  fromDrizzle,
  fromMysql2,
  fromPg,
  type Mysql2Connection,
  type OwnTransaction,
  OwnTransactionError,
  type PgClient,
  transactionOf,
} from '../store/backends/own-transactions.js'
export { type SampleOptions, sample } from '../store/backends/sample.js'
export { type SnapshotOptions, snapshot } from '../store/backends/snapshot.js'
export { type Difference, type Verified, type VerifyOptions, verify } from '../store/backends/verify.js'
export { OwnQueryError, QueryFailedError } from '../store/queries/refused.js'
export type { OtherNames, OwnQueries, OwnQueriesOptions, SeenDatabase } from '../store/queries/types.js'
