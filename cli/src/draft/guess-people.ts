import type { DraftType } from './draft.js'
import type { Guess } from './guesses.js'
import { EMAIL, PASSWORD, PEOPLE } from './words.js'

// From this on, a table is taken for that of the people.
const ENOUGH = 5
const SURE = 8
const MOST_FOR_LINKS = 4

/** The table of the people, by its name, what it holds, and what refers to it. */
export function peopleOf(types: readonly DraftType[]): { readonly people: DraftType | undefined; readonly guess?: readonly Guess[] } {
  const ranked = types.map((type) => ({ type, score: scoreOf(type) })).sort((a, b) => b.score - a.score)
  const [best] = ranked
  if (best === undefined || best.score < ENOUGH || best.type.key.length > 1) return { people: undefined }
  const { type, score } = best
  const reasons = [
    ...(PEOPLE.some(([name]) => name.test(type.name)) ? ['its name'] : []),
    ...(type.fields.some(({ name }) => EMAIL.test(name)) ? ['an email address'] : []),
    ...(type.fields.some(({ name }) => PASSWORD.test(name)) ? ['a password'] : []),
    `${type.links.filter((link) => link.many).length} foreign keys that lead to it`,
  ]
  return {
    people: type,
    guess: [{ kind: 'people', type: type.name, sure: score >= SURE ? 'sure' : 'likely', why: `it has ${reasons.join(', ')}` }],
  }
}

function scoreOf({ name, fields, links }: DraftType): number {
  const named = PEOPLE.find(([form]) => form.test(name))?.[1] ?? 0
  const email = fields.some((one) => EMAIL.test(one.name)) ? 3 : 0
  const password = fields.some((one) => PASSWORD.test(one.name)) ? 4 : 0
  const referred = Math.min(MOST_FOR_LINKS, new Set(links.filter((link) => link.many).map((link) => link.to)).size)
  // Whatever is referred to by many tables is no table of people for that alone.
  return named + email + password === 0 ? 0 : named + email + password + referred
}
