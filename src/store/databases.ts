/**
 * Records in databases, through Kysely.
 * @module
 */
export { type KyselyOptions, overKysely } from './kysely.js'
export { type SnapshotOptions, snapshot } from './snapshot.js'
export { type Compared, type Difference, type Verified, type VerifyOptions, verify } from './verify.js'
