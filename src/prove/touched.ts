import { anyLeaf, anyNode, type ClaimNode, type ConditionNode, type LinkNode, type PlaceNode, type SomeNode } from '../condition/index.js'
import { type Model, typeModel } from '../rulebook/index.js'
import type { Change } from './encoding.js'

type Written = Pick<Change, 'type' | 'fields'>

/** Whether a condition may have another result after a write: whether it reads from other records what the write changes. */
export function isTouched(node: ConditionNode, model: Model, written: Written): boolean {
  return (
    anyNode(node, (part) => part.kind === 'some' && searches(part, written)) ||
    anyLeaf(node, (leaf) => leaf.kind === 'claim' && isReadFrom(leaf, model, written))
  )
}

/** Whether a search finds other records of the written type, or reads another value of them. */
function searches({ over, each, of }: SomeNode, written: Written): boolean {
  switch (over.kind) {
    case 'elements':
      return false
    case 'records':
      return over.type === written.type && (over.by.some(({ to }) => isChanged(to, written)) || reads(of, each, written))
    case 'ancestors': {
      if (over.type !== written.type) return false
      const places = [...over.by.map(({ to }) => to), ...over.link.by.flatMap(({ to, from }) => [to, from]), ...over.keys]
      return removalOf(over.link, written) || places.some((place) => isChanged(place, written)) || reads(of, each, written)
    }
  }
}

function reads(node: ConditionNode, each: number, written: Written): boolean {
  return (
    written.fields === undefined ||
    anyLeaf(node, (leaf) => leaf.kind === 'field' && leaf.of === each && (leaf.via !== undefined || isChanged(leaf, written)))
  )
}

function isChanged({ path }: Pick<PlaceNode, 'path'>, { fields }: Written): boolean {
  return fields === undefined || fields.includes(path[0] as string)
}

function removalOf({ removal }: LinkNode, written: Written): boolean {
  return removal !== undefined && isChanged(removal, written)
}

/** Whether a claim is read from a field that changes, or from a record that is found through one. */
function isReadFrom({ path, links = 0 }: ClaimNode, model: Model, written: Written): boolean {
  let known = model.me.links
  for (const [at, step] of path.slice(0, links).entries()) {
    const link = known[step] as LinkNode
    const type = typeModel(model, link.to)
    if (link.to === written.type) {
      if (link.by.some(({ to }) => isChanged(to, written)) || removalOf(link, written)) return true
      const next = path[at + 1]
      const further = at + 1 < links ? type.links[next as string]?.by.map(({ from }) => from) : next === undefined ? [] : [{ path: [next] }]
      if (written.fields === undefined || further?.some((place) => isChanged(place, written)) === true) return true
    }
    known = type.links
  }
  return false
}
