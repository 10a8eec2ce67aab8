import { type AcceptanceNode, type Model, typeModel } from '../rulebook/index.js'
import { type Asked, type Promotion, promotionsIn } from './promotion.js'
import { replayed } from './replay.js'
import { DEFAULT_LIMITS, type SearchLimits } from './search.js'

/**
 * Searches, for every person and all records, for one permitted create, update or delete by which a person may then see, change or delete
 * something of another stored record that they could not before. Each example has been carried out in an in-memory store. What the rulebook
 * accepts is marked.
 * @example
 * for await (const { found } of selfPromotions(book.model))
 *   for (const { write, gain, accepted } of found)
 *     if (accepted === undefined) throw new Error(`${write.action} ${write.type}: ${gain.action} ${gain.type}`)
 * @throws ProofError if the solver made a mistake
 */
export async function* selfPromotions(
  model: Model,
  types: readonly string[] = Object.keys(model.types),
  limits: SearchLimits = DEFAULT_LIMITS,
): AsyncGenerator<Asked> {
  for (const asked of promotionsIn(model, types, limits)) {
    const found: Promotion[] = []
    for (const one of asked.found) found.push(await confirmed(model, one))
    yield { ...asked, found }
  }
}

/** The acceptances that nothing was found for. */
export function idleAcceptances(
  model: Model,
  found: readonly Promotion[],
  types: readonly string[] = Object.keys(model.types),
): readonly { readonly type: string; readonly acceptance: AcceptanceNode }[] {
  const used = new Set(found.map(({ accepted }) => accepted))
  return types.flatMap((type) =>
    (typeModel(model, type).accepts ?? []).filter((one) => !used.has(one)).map((acceptance) => ({ type, acceptance })),
  )
}

async function confirmed(model: Model, promotion: Promotion): Promise<Promotion> {
  const { example, ...rest } = promotion
  if (example === undefined) return promotion
  const because = await replayed(model, promotion.write, promotion.gain, example)
  return because === undefined ? promotion : { ...rest, because: `the example does not happen in a store: ${because}` }
}
