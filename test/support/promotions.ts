// Self-promotion in words.
import { type Promotion, selfPromotions } from 'pachter/prove'

/** What is found, as in "update loan by giver: read boat". */
export async function found(book: { readonly model: Parameters<typeof selfPromotions>[0] }, types?: readonly string[]): Promise<string[]> {
  const all: Promotion[] = []
  for await (const asked of selfPromotions(book.model, types)) all.push(...asked.found)
  return all.map(
    ({ write, by, gain, example, accepted }) =>
      `${write.action} ${write.type} by ${by ?? 'several'}: ${gain.action} ${gain.type}${accepted ? ', accepted' : example === undefined ? ', undecided' : ''}`,
  )
}
