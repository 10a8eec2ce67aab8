import { UnknownNameError } from './error.js'
import { knownAction, type Model, type TypeModel, typeModel } from './model.js'

/**
 * The model without a clause or veto of a record type, by its title: for one action, or for every action that has it.
 * @throws UnknownNameError
 */
export function withoutRule(model: Model, typeName: string, title: string, action?: string): Model {
  const type = typeModel(model, typeName)
  const { rules } = type
  if (action !== undefined) knownAction(type, action)
  const titles = rulesByTitle(type).flatMap((one) => (action === undefined || one.action === action ? [one.title] : []))
  if (rules === undefined || !titles.includes(title)) throw new UnknownNameError('clause or veto', title, [...new Set(titles)], typeName)
  const may = Object.fromEntries(
    Object.entries(rules.may).map(([of, clauses]) => [
      of,
      action === undefined || of === action ? Object.freeze(clauses.filter((clause) => clause.title !== title)) : clauses,
    ]),
  )
  const vetoes = Object.freeze(
    rules.vetoes.flatMap((veto) => {
      if (veto.title !== title) return [veto]
      const actions = action === undefined ? [] : veto.actions.filter((one) => one !== action)
      return actions.length === 0 ? [] : [Object.freeze({ ...veto, actions: Object.freeze(actions) })]
    }),
  )
  const left = Object.freeze({ ...type, rules: Object.freeze({ ...rules, may: Object.freeze(may), vetoes }) }) as TypeModel
  return Object.freeze({ ...model, types: Object.freeze({ ...model.types, [typeName]: left }) })
}

/** The clauses and vetoes of a record type. A clause of several actions is listed once. */
export function rulesByTitle({ rules }: TypeModel): readonly { readonly action: string; readonly title: string }[] {
  const clauses = Object.entries(rules?.may ?? {}).flatMap(([action, all]) => all.map(({ title }) => ({ action, title })))
  const vetoes = (rules?.vetoes ?? []).flatMap(({ actions, title }) => actions.map((action) => ({ action, title })))
  return [...clauses, ...vetoes]
}
