/**
 * Help for queries of Drizzle.
 * @module
 */
export { type SeenOptions, type SeenSelection, type SeenTable, seen } from '../sql/drizzle.js'
