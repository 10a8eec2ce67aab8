import { UnknownNameError } from './error.js'
import { type Model, type TypeModel, typeModel } from './model.js'

/** The model without a clause or a veto of a record type, by its title. @throws UnknownNameError */
export function withoutRule(model: Model, typeName: string, title: string): Model {
  const type = typeModel(model, typeName)
  const { rules } = type
  const titles = [...Object.values(rules?.may ?? {}).flat(), ...(rules?.vetoes ?? [])].map((rule) => rule.title)
  if (rules === undefined || !titles.includes(title)) throw new UnknownNameError('clause or veto', title, [...new Set(titles)], typeName)
  const may = Object.fromEntries(
    Object.entries(rules.may).map(([action, clauses]) => [action, Object.freeze(clauses.filter((clause) => clause.title !== title))]),
  )
  const vetoes = Object.freeze(rules.vetoes.filter((veto) => veto.title !== title))
  const left = Object.freeze({ ...type, rules: Object.freeze({ ...rules, may: Object.freeze(may), vetoes }) }) as TypeModel
  return Object.freeze({ ...model, types: Object.freeze({ ...model.types, [typeName]: left }) })
}
