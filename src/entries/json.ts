/**
 * Rulebooks as JSON: for reviews, other programs, and to be read back.
 * @module
 */

export type { RulebookJson, Shapes } from '../rulebook/index.js'
export { rulebookFromJson, rulebookToJson } from '../viewpoint/json.js'
