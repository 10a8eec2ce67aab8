import { type ConditionNode, type PersonClaims, person, type Row } from '../condition/index.js'
import type { Model } from '../rulebook/index.js'
import type { PersonalRules } from './specialise.js'

/** What was worked out for a person: each part when it is first needed. */
export interface Specialised {
  readonly who: PersonClaims
  /** By record type, and then by the number of the action. */
  readonly rules: Map<string, (PersonalRules | undefined)[]>
  readonly standings: Map<string, readonly { readonly name: string; readonly when: ConditionNode }[]>
}

/** Nothing was worked out for these claims yet. */
export function unspecialised(me: Row | null): Specialised {
  return { who: person(me), rules: new Map(), standings: new Map() }
}

/** How many people are remembered for each rulebook, and how long the text of their claims may be. */
const MOST_PEOPLE = 1_000
const LONGEST = 2_000

const kept = new WeakMap<Model, Map<string, Specialised>>()

/**
 * What was worked out before for the same claims and routine: requests of the same person follow each other. The claims include the
 * records that are linked to the person, so a change of these is another entry.
 */
export function specialisedBefore(model: Model, me: Row | null, within: string | undefined): Specialised {
  const claims = textOf(me)
  if (claims === undefined || claims.length > LONGEST) return unspecialised(me)
  let people = kept.get(model)
  if (people === undefined) {
    people = new Map()
    kept.set(model, people)
  }
  const key = `${within ?? ''}\n${claims}`
  const before = people.get(key)
  // The one that was used last is at the end.
  if (before !== undefined) people.delete(key)
  else if (people.size >= MOST_PEOPLE) people.delete(people.keys().next().value as string)
  // A copy: a caller that changes the claims afterwards must not change what is kept.
  const found = before ?? unspecialised(structuredClone(me))
  people.set(key, found)
  return found
}

/** The claims as text, which is the same only for the same claims; undefined if they contain something else than plain data. */
function textOf(value: unknown): string | undefined {
  if (value === undefined) return 'u'
  if (value === null || typeof value === 'boolean') return String(value)
  if (typeof value === 'string') return JSON.stringify(value)
  if (typeof value === 'number') return Object.is(value, -0) ? '-0' : String(value)
  if (value instanceof Date) return `D${value.getTime()}`
  if (Array.isArray(value)) return joined(value.map(textOf), '[', ']')
  if (typeof value !== 'object' || Object.getPrototypeOf(value) !== Object.prototype) return undefined
  const parts = Object.entries(value).map(([name, inner]) => {
    const text = textOf(inner)
    return text === undefined ? undefined : `${JSON.stringify(name)}:${text}`
  })
  return joined(parts, '{', '}')
}

function joined(parts: readonly (string | undefined)[], open: string, close: string): string | undefined {
  return parts.includes(undefined) ? undefined : open + parts.join() + close
}
