import type { PlaceNode } from '../condition/nodes.js'
import { RulebookError } from './error.js'
import type { LinkModel } from './links.js'
import type { Model, TypeModel } from './model.js'

/** A field that holds keys of another record type, and so is affected when a record of that type is deleted. */
export interface Reference {
  /** The record type that has the field. */
  readonly type: string
  readonly place: PlaceNode
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
  const note = (owner: string, place: PlaceNode, { onDelete }: LinkModel) => {
    const id = `${owner}.${place.path.join('.')}`
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
      found.set(id, { type: owner, place, onDelete: onDelete ?? 'refuse', said: onDelete !== undefined })
    }
  }
  for (const owner of Object.values(types)) {
    for (const link of Object.values(owner.links)) {
      const [pair] = link.by
      if (pair === undefined || link.by.length > 1) continue
      if (link.to === name && pair.to.path[0] === type.key && pair.from.path[0] !== owner.key) note(owner.name, pair.from, link)
      if (owner.name === name && pair.from.path[0] === type.key && pair.to.path[0] !== types[link.to]?.key) note(link.to, pair.to, link)
    }
  }
  // The key of a removed record stays, so records may go on holding it.
  const counting = [...found.values()].filter(({ said }) => said || type.removal === undefined || forGood !== undefined)
  return counting.map(({ type: of, place, onDelete }) => ({ type: of, place, onDelete }))
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
