import { type ConditionNode, eachNode, fieldNodesIn } from '../condition/index.js'
import { conditionsOfType, type Model, type TypeModel, typeModel } from '../rulebook/index.js'

/** The record types to read in order to judge a type: itself, the types that its rules read, and the types linked to people. */
export function typesNeeded(model: Model, type: string): string[] {
  const asked = typesAsked(model, type)
  return Object.keys(model.types).filter((name) => name === type || asked.has(name))
}

/**
 * The record types whose other records are read: those that links lead to from the record and (with `claims`) from the person. With
 * `asStored`, leaves out create and `afterwards`.
 */
export function typesAsked(model: Model, type: string, { asStored = false, claims = true } = {}): ReadonlySet<string> {
  const found = new Set<string>()
  const own = typeModel(model, type)
  const stored = { actions: own.actions.filter((action) => action !== 'create'), roles: ['gate', 'standing', 'clause', 'veto'] } as const
  for (const { condition } of conditionsOfType(model, own, asStored ? stored : {})) for (const name of typesIn(condition)) found.add(name)
  if (!claims) return found
  // Claims may come from records linked to the person, and from records that these lead to.
  const mine = Object.values(model.me.links).map(({ to }) => to)
  const followed = new Set<string>()
  const follow = (name: string) => {
    if (followed.has(name)) return
    followed.add(name)
    found.add(name)
    for (const { to } of Object.values((model.types[name] as TypeModel).links)) follow(to)
  }
  for (const name of mine) follow(name)
  return found
}

const asked = new WeakMap<ConditionNode, readonly string[]>()

/** The record types that a condition reads besides the record itself. */
export function typesIn(node: ConditionNode): readonly string[] {
  const known = asked.get(node) ?? [...new Set(asksAbout(node))]
  asked.set(node, known)
  return known
}

function asksAbout(node: ConditionNode): string[] {
  const along = fieldNodesIn(node).flatMap(({ via = [] }) => via.map(({ to }) => to))
  const looked: string[] = []
  eachNode(node, (part) => {
    if (part.kind === 'some' && part.over.kind !== 'elements') looked.push(part.over.type)
  })
  return [...along, ...looked]
}
