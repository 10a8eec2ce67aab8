import {
  askedOf,
  askedWithin,
  type ConditionNode,
  highestEach,
  type NamedNode,
  numbered,
  type RecordRef,
  sameCondition,
} from '../condition/index.js'
import type { Model } from '../rulebook/index.js'

/** The types of the records that are spoken of. */
export type Refs = ReadonlyMap<RecordRef, string>

const known = new WeakMap<NamedNode, string | null>()

/** The record type of which a named condition is a standing; undefined where it is another condition of that name, or none of any type. */
export function standingOf(model: Model, node: NamedNode, refs: Refs): string | undefined {
  const found = known.get(node)
  if (found !== undefined) return found ?? undefined
  const type = [...new Set([...refs.values()].reverse())].find((of) => {
    const was = model.types[of]?.standings[node.name]
    return was?.kind === 'named' && refOf(node, refs, { type: of, was }) !== undefined
  })
  known.set(node, type ?? null)
  return type
}

/** The record that the standing is asked of there, if it is this one; undefined where it is another of the same name. */
export function refOf(
  node: NamedNode,
  refs: Refs,
  { type, was }: { readonly type: string; readonly was: NamedNode },
): RecordRef | undefined {
  for (const [ref, of] of refs) if (of === type && sameCondition(plain(standingAsked(was, ref, highestEach(node))), plain(node))) return ref
  return undefined
}

/** Asked of a record, with numbers of its own above those that are there. */
export function standingAsked(node: ConditionNode, ref: RecordRef, highest: number): ConditionNode {
  if (typeof ref === 'number') return askedWithin(node, ref, Math.max(ref, highest))
  if (ref === 'record') return node
  return askedOf(node, 'record', ref)
}

/** Numbered by depth, whatever it is asked within: far from the numbers that are free in it. */
function plain(node: ConditionNode): ConditionNode {
  return numbered(node, (of) => of as never, FAR)
}

const FAR = 1000
