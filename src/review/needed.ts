import { type ConditionNode, leavesOf } from '../condition/index.js'
import { conditionsOfClause, type Model, type TypeModel, typeModel } from '../rulebook/index.js'

/** The record types that have to be read to judge one of them: itself, those that its rules ask about, and those linked to people. */
export function typesNeeded(model: Model, type: string): string[] {
  const found = new Set([type])
  const { rules, standings } = typeModel(model, type)
  const conditions = [
    model.gate,
    ...Object.values(standings),
    ...Object.values(rules?.gates ?? {}),
    ...Object.values(rules?.may ?? {}).flatMap((clauses) => clauses.flatMap(conditionsOfClause)),
    ...(rules?.vetoes ?? []).map(({ when }) => when),
  ]
  for (const node of conditions) if (node !== undefined) for (const asked of asksAbout(node)) found.add(asked)
  // Claims may be read from records that are linked to the person, and from those that these lead to.
  const mine = Object.values(model.me.links).map(({ to }) => to)
  const follow = (name: string) => {
    if (found.has(name) && name !== type) return
    found.add(name)
    for (const { to } of Object.values((model.types[name] as TypeModel).links)) if (!found.has(to)) follow(to)
  }
  for (const name of mine) follow(name)
  return Object.keys(model.types).filter((name) => found.has(name))
}

function asksAbout(node: ConditionNode): string[] {
  switch (node.kind) {
    case 'not':
    case 'named':
      return asksAbout(node.of)
    case 'allOf':
    case 'anyOf':
      return node.of.flatMap(asksAbout)
    case 'some': {
      const steps = node.over.kind === 'elements' ? (node.over.list.via ?? []).map(({ to }) => to) : [node.over.type]
      return [...steps, ...asksAbout(node.of)]
    }
    default:
      return leavesOf(node).flatMap((leaf) => (leaf.kind === 'field' ? (leaf.via ?? []).map(({ to }) => to) : []))
  }
}
