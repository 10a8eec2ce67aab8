import { type GuaranteeNode, type Model, typeModel } from '../rulebook/index.js'
import { against, ask } from './ask.js'
import type { Example } from './example.js'
import { DEFAULT_LIMITS, type SearchLimits } from './search.js'

/** What was found out about a guarantee. */
export type Judged =
  | { readonly outcome: 'proved' }
  /** `field` is the one that can be seen, sent or changed. */
  | { readonly outcome: 'refuted'; readonly example: Example; readonly field?: string }
  | { readonly outcome: 'undecided'; readonly because: string; readonly field?: string }

/** A guarantee of a rulebook, and what was found out about it. */
export interface JudgedGuarantee {
  readonly type: string
  readonly guarantee: GuaranteeNode
  readonly judged: Judged
}

/**
 * Judges a guarantee for every person and all records: proved if nobody can break it, refuted with an example, or undecided.
 * @throws ProofError if the solver made a mistake
 */
export function judgeGuarantee(model: Model, type: string, guarantee: GuaranteeNode, limits: SearchLimits = DEFAULT_LIMITS): Judged {
  const { never: action, fields, provided, unless } = guarantee
  let undecided: Judged | undefined
  for (const field of fields ?? [undefined]) {
    const found = ask(against(model, { type, action, field }, provided, unless), limits)
    const named = field === undefined ? {} : { field }
    if (found.kind === 'example') return { outcome: 'refuted', example: found.example, ...named }
    if (found.kind === 'unknown') undecided ??= { outcome: 'undecided', because: found.because, ...named }
  }
  return undecided ?? { outcome: 'proved' }
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
  for (const name of types)
    for (const guarantee of typeModel(model, name).guarantees ?? [])
      yield { type: name, guarantee, judged: judgeGuarantee(model, name, guarantee, limits) }
}
