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

/** The types of the records that a condition reads. */
export type Refs = ReadonlyMap<RecordRef, string>

const known = new WeakMap<NamedNode, string | null>()

/** The record type whose standing a named condition is. Undefined if it is another condition with that name. */
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

/** The record that the standing is about, if it is this standing; undefined if it is another one with the same name. */
export function refOf(
  node: NamedNode,
  refs: Refs,
  { type, was }: { readonly type: string; readonly was: NamedNode },
): RecordRef | undefined {
  for (const [ref, of] of refs) if (of === type && sameCondition(plain(standingAsked(was, ref, highestEach(node))), plain(node))) return ref
  return undefined
}

/** Rewritten to ask about a record, with its own `some` numbers above the existing ones. */
export function standingAsked(node: ConditionNode, ref: RecordRef, highest: number): ConditionNode {
  if (typeof ref === 'number') return askedWithin(node, ref, Math.max(ref, highest))
  if (ref === 'record') return node
  return askedOf(node, 'record', ref)
}

/** Numbers start high above those in use around it. */
function plain(node: ConditionNode): ConditionNode {
  return numbered(node, (of) => of as never, FAR)
}

const FAR = 1000
