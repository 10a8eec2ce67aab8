import type { PlaceNode } from '../condition/nodes.js'
import { RulebookError } from './error.js'
import { holdsKey, type LinkModel } from './links.js'
import type { Model, TypeModel } from './model.js'

/** Fields that hold keys of another record type, and so are affected when a record of that type is deleted. */
export interface Reference {
  /** The record type that has the fields. */
  readonly type: string
  /** In the order of the fields of the key. */
  readonly places: readonly PlaceNode[]
  readonly onDelete: NonNullable<LinkModel['onDelete']>
}

/**
 * The fields that hold keys of a record type, from the links on either side. While such records exist, a deletion is refused, unless the
 * link says otherwise.
 * @throws RulebookError if two links contradict each other on the same field.
 */
export function referencesTo({ types }: Pick<Model, 'types'>, name: string, forGood?: 'for good'): readonly Reference[] {
  const type = types[name] as TypeModel
  const found = new Map<string, Reference & { readonly said: boolean }>()
  const note = (owner: string, places: readonly PlaceNode[], { onDelete }: LinkModel) => {
    const id = `${owner}.${places.map(({ path }) => path.join('.')).join(', ')}`
    const before = found.get(id)
    if (before?.said && onDelete !== undefined && onDelete !== before.onDelete)
      throw new RulebookError(
        id,
        `two links of this field have different onDelete options for the same ${name}: ${before.onDelete} and ${onDelete}`,
      )
    if (types[owner]?.removal !== undefined && type.removal === undefined && (onDelete === 'delete' || onDelete === 'follow'))
      throw new RulebookError(
        id,
        `onDelete: '${onDelete}' cannot be used here: records of ${owner} are removed and not deleted, so they would hold the key of a deleted ${name}. Use 'refuse' or 'unlink', or give ${name} a removal too.`,
      )
    if (onDelete !== undefined || before === undefined) {
      found.set(id, { type: owner, places, onDelete: onDelete ?? 'refuse', said: onDelete !== undefined })
    }
  }
  for (const owner of Object.values(types)) {
    for (const link of Object.values(owner.links)) {
      const there = link.by.map(({ to }) => to)
      const here = link.by.map(({ from }) => from)
      const other = types[link.to] as TypeModel
      if (link.to === name && holdsKey({ mine: firsts(here), theirs: firsts(there) }, owner, type))
        note(owner.name, inOrder(type, there, here), link)
      if (owner.name === name && holdsKey({ mine: firsts(there), theirs: firsts(here) }, other, type))
        note(link.to, inOrder(type, here, there), link)
    }
  }
  // The key of a removed record stays, so records may go on holding it.
  const counting = [...found.values()].filter(({ said }) => said || type.removal === undefined || forGood !== undefined)
  return counting.map(({ type: of, places, onDelete }) => ({ type: of, places, onDelete }))
}

function firsts(places: readonly PlaceNode[]): readonly string[] {
  return places.map(({ path }) => path[0] as string)
}

/** The places that hold a key, in the order of its fields. */
function inOrder({ keys }: TypeModel, key: readonly PlaceNode[], holding: readonly PlaceNode[]): readonly PlaceNode[] {
  const names = firsts(key)
  return keys.map((name) => holding[names.indexOf(name)] as PlaceNode)
}

/**
 * Whether other records can block a deletion besides the type's own rules: records whose link refuses it, or that are deleted or unlinked
 * with it as the asker's own action.
 */
export function isJudgedAlong(model: Pick<Model, 'types'>, type: string, met: ReadonlySet<string> = new Set()): boolean {
  const references = referencesTo(model, type)
  if (references.some(({ onDelete }) => onDelete !== 'follow')) return true
  return references.some((reference) => !met.has(reference.type) && isJudgedAlong(model, reference.type, new Set([...met, type])))
}
