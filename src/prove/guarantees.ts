import { allOfNode, notNode } from '../condition/index.js'
import { type GuaranteeNode, type Model, typeModel } from '../rulebook/index.js'
import { against, ask } from './ask.js'
import type { Example } from './example.js'
import { grantedTo } from './permissions.js'
import { DEFAULT_LIMITS, type SearchLimits } from './search.js'

/** What was found out about a guarantee. */
export type Judged =
  | { readonly outcome: 'proved' }
  /** `field` is the one that can be seen, sent or changed. */
  | { readonly outcome: 'refuted'; readonly example: Example; readonly field?: string }
  | { readonly outcome: 'undecided'; readonly because: string; readonly field?: string }

/** A guarantee of a rulebook, and what was found out about it. */
export interface JudgedGuarantee {
  /** The record type; of privileges and routines, what they are. */
  readonly type: string
  readonly guarantee: GuaranteeNode
  readonly judged: Judged
}

/**
 * Judges a guarantee for every person and all records: proved if nobody can break it, refuted with an example, or undecided.
 * @throws ProofError if the solver made a mistake
 */
export function judgeGuarantee(model: Model, type: string, guarantee: GuaranteeNode, limits: SearchLimits = DEFAULT_LIMITS): Judged {
  const { never: action, fields, provided, unless, within, of } = guarantee
  if (of !== undefined) return judgeGrant(model, guarantee, of, limits)
  const where = within === undefined ? {} : within === false ? ({ outside: true } as const) : { within }
  let undecided: Judged | undefined
  for (const field of fields ?? [undefined]) {
    const found = ask(against(model, { type, action, field, ...where }, provided, unless), limits)
    const named = field === undefined ? {} : { field }
    if (found.kind === 'example') return { outcome: 'refuted', example: found.example, ...named }
    if (found.kind === 'unknown') undecided ??= { outcome: 'undecided', because: found.because, ...named }
  }
  return undecided ?? { outcome: 'proved' }
}

/** Whether nobody has a privilege, or may call a routine. */
function judgeGrant(model: Model, { never, provided, unless }: GuaranteeNode, kind: 'privilege' | 'routine', limits: SearchLimits): Judged {
  const when = allOfNode([grantedTo(model, { kind, name: never }), provided, ...(unless === undefined ? [] : [notNode(unless)])])
  const found = ask({ model, when }, limits)
  if (found.kind === 'example') return { outcome: 'refuted', example: found.example }
  return found.kind === 'unknown' ? { outcome: 'undecided', because: found.because } : { outcome: 'proved' }
}

/**
 * Judges all guarantees of a rulebook, or those of some record types, one after the other: for tests of your own.
 * @throws ProofError if the solver made a mistake
 * @example
 * for (const { guarantee, judged } of judgeGuarantees(book.model))
 *   if (judged.outcome !== 'proved') throw new Error(`${guarantee.title}: ${judged.outcome}`)
 */
export function* judgeGuarantees(
  model: Model,
  types: readonly string[] = Object.keys(model.types),
  limits: SearchLimits = DEFAULT_LIMITS,
): Generator<JudgedGuarantee> {
  // Those of privileges and routines are of no record type.
  if (types.length === Object.keys(model.types).length)
    for (const guarantee of model.guarantees ?? [])
      yield { type: guarantee.of as string, guarantee, judged: judgeGuarantee(model, guarantee.of as string, guarantee, limits) }
  for (const name of types)
    for (const guarantee of typeModel(model, name).guarantees ?? [])
      yield { type: name, guarantee, judged: judgeGuarantee(model, name, guarantee, limits) }
}
