import { lower } from '../condition/lower.js'
import type { ConditionNode } from '../condition/nodes.js'
import { fieldsIn } from '../condition/walk.js'
import { RulebookError, unknownName } from './error.js'
import type { TypeModel } from './model.js'
import type { Fields } from './shape.js'

/** The fields whose values the database sets. */
export function readGenerated(given: unknown, fields: Fields, at: string, removal?: string): Pick<TypeModel, 'generated'> {
  if (given === undefined) return {}
  if (!Array.isArray(given)) throw new RulebookError(at, 'needs a list of fields')
  for (const name of given) {
    if (typeof name !== 'string' || !Object.hasOwn(fields, name))
      throw new RulebookError(at, unknownName('field', name, Object.keys(fields)))
    if (name === removal) throw new RulebookError(at, `"${name}" is set by a deletion, and not by the database`)
  }
  return given.length === 0 ? {} : { generated: Object.freeze([...new Set<string>(given)]) }
}

/** Whether the database sets the field when a record is created. */
export function isGenerated({ generated }: Pick<TypeModel, 'generated'>, name: string): boolean {
  return generated?.includes(name) === true
}

/**
 * Refuses rules of create that depend on values which the database sets only when the record is written. @throws RulebookError
 */
export function checkGenerated(type: TypeModel): void {
  const { name, generated, rules } = type
  if (generated === undefined || rules === undefined) return
  const check = (at: string, condition: ConditionNode | undefined) => {
    const odd = condition && fieldsIn(lower(condition)).find((field) => generated.includes(field))
    if (odd !== undefined)
      throw new RulebookError(`rules of ${name}, ${at}`, `a rule of create cannot depend on "${odd}": the database sets it afterwards`)
  }
  check('gates.create', rules.gates.create)
  for (const { title, when } of rules.may.create) check(`may.create, "${title}"`, when)
  for (const { title, actions, when } of rules.vetoes) if (actions.includes('create')) check(`vetoes, "${title}"`, when)
  const stamped = Object.keys(rules.stamps.create).find((field) => generated.includes(field))
  if (stamped !== undefined)
    throw new RulebookError(
      `rules of ${name}, stamps.create.${stamped}`,
      'the database sets this field: leave the stamp out, or take it out of generated',
    )
}
