/**
 * Conditions as filter documents, for document databases.
 * @module
 */
export { DocumentError } from './error.js'
export { conditionFilter, type DocumentOptions, documentFilter } from './filter.js'
export type { FilterDocument } from './parts.js'
