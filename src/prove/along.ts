import { anyLeaf, type ConditionNode, eachNode, type LinkNode } from '../condition/index.js'
import { type Model, referencesTo, typeModel } from '../rulebook/index.js'
import { isTouched } from './touched.js'

/** What goes along with a delete: record types of which records are deleted too, and fields that are cleared. */
interface Along {
  readonly gone: ReadonlySet<string>
  readonly cleared: readonly { readonly type: string; readonly fields: readonly string[] }[]
}

/** Whether a condition may come to hold by what is deleted or cleared along with a record of this type. */
export function mayGainAlong(model: Model, type: string, conditions: readonly ConditionNode[]): boolean {
  const { gone, cleared } = alongWith(model, type)
  return conditions.some(
    (node) => [...gone].some((one) => gainsWithout(model, node, one)) || cleared.some((change) => isTouched(node, model, change)),
  )
}

function alongWith(model: Model, name: string): Along {
  const gone = new Set<string>()
  const cleared: { readonly type: string; readonly fields: readonly string[] }[] = []
  const open = [name]
  for (let next = open.pop(); next !== undefined; next = open.pop())
    for (const { type, places, onDelete } of referencesTo(model, next)) {
      if (onDelete === 'unlink') cleared.push({ type, fields: places.map(({ path }) => path[0] as string) })
      if ((onDelete !== 'delete' && onDelete !== 'follow') || gone.has(type)) continue
      gone.add(type)
      open.push(type)
    }
  return { gone, cleared }
}

/** Whether a condition may hold only because records of a type are gone: it asks that there is none, or reads one that is the person's. */
function gainsWithout(model: Model, node: ConditionNode, type: string): boolean {
  let asksForNone = false
  eachNode(node, (part, { negative }) => {
    if (part.kind === 'some' && part.over.kind !== 'elements' && part.over.type === type && negative) asksForNone = true
  })
  return asksForNone || anyLeaf(node, (leaf) => leaf.kind === 'claim' && typesOn(model, leaf.path.slice(0, leaf.links ?? 0)).includes(type))
}

/** The record types that a claim is read from. */
function typesOn(model: Model, steps: readonly string[]): readonly string[] {
  let known = model.me.links
  return steps.map((step) => {
    const { to } = known[step] as LinkNode
    known = typeModel(model, to).links
    return to
  })
}
