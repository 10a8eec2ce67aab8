/**
 * Rulebooks as JSON, for reviews and other programs, and how to read them back.
 * @module
 */

export type { RulebookJson, Shapes } from '../rulebook/index.js'
export { rulebookFromJson, rulebookToJson } from '../viewpoint/json.js'
