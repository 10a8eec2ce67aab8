/**
 * Conditions as filter documents, for document databases.
 * @module
 */
export { DocumentError } from '../documents/error.js'
export { conditionFilter, type DocumentOptions, documentFilter } from '../documents/filter.js'
export type { FilterDocument } from '../documents/parts.js'
