/**
 * Rulebooks as JSON, for reviews and other programs, and how to read them back.
 * @module
 */
import { type Model, modelFromJson, modelToJson, type RulebookJson, type Shapes, type World } from '../rulebook/index.js'
import { type Rulebook, rulebookOf } from './rulebook.js'

export type { RulebookJson, Shapes } from '../rulebook/index.js'

/**
 * A rulebook as JSON: everything except the shapes, which are code. `pachter/rulebook.schema.json` describes the format.
 * @example
 * writeFileSync('rules.json', JSON.stringify(rulebookToJson(book), null, 2))
 */
export function rulebookToJson(book: { readonly model: Model }): RulebookJson {
  return modelToJson(book.model)
}

/**
 * Reads a rulebook from JSON with these shapes. The result equals the rulebook that was written.
 * @example
 * const book = rulebookFromJson(json, { me: Session, records: { plot: Plot } })
 * @throws RulebookError, ConditionError where the JSON means nothing, or was written for other shapes.
 */
export function rulebookFromJson<W extends World = World>(json: unknown, shapes: Shapes): Rulebook<W> {
  return rulebookOf(modelFromJson(json, shapes)) as unknown as Rulebook<W>
}
