/**
 * Records in databases, through Kysely.
 * @module
 */
export { type KyselyOptions, overKysely } from '../store/backends/kysely.js'
export { type SnapshotOptions, snapshot } from '../store/backends/snapshot.js'
export { type Difference, type Verified, type VerifyOptions, verify } from '../store/backends/verify.js'
