import { copied, frozen, Recent, type Row } from '../condition/index.js'
import type { Model } from '../rulebook/index.js'
import { type Specialised, unspecialised } from './specialise.js'
import { type Clock, type InnerViewpoint, viewpointOf } from './viewpoint.js'

/** How many people are remembered for each rulebook, and how long the text of their claims may be. */
const MOST_PEOPLE = 1_000
const LONGEST = 2_000

const kept = new WeakMap<Model, Recent<Remembered>>()

/** The claims of a person, with all that was made of them. */
interface Remembered {
  readonly me: Row | null
  readonly before: Specialised
  /** By the clock that they use. */
  readonly views: Map<Clock | undefined, InnerViewpoint>
}

/**
 * The viewpoint of a person, which is the same for requests with the same claims and routine: requests of a person follow each other. The
 * claims include the records that are linked to the person, so a change of these leads to another viewpoint.
 */
export function viewpointAgain(model: Model, me: Row | null, now: Clock | undefined, within: string | undefined): InnerViewpoint {
  // Whether there is such a routine is asked later.
  const claims = within === undefined || typeof within === 'string' ? textOf(me) : undefined
  if (claims === undefined || claims.length > LONGEST) return viewpointOf(model, me, { now, within })
  const person = remembered(model, me, `${within ?? ''}\n${claims}`)
  const before = person.views.get(now)
  if (before !== undefined) return before
  const view = viewpointOf(model, person.me, { now, within, before: person.before })
  // A clock that is a new function for each call would fill the memory.
  if (person.views.size < MOST_CLOCKS) person.views.set(now, view)
  return view
}

const MOST_CLOCKS = 4

function remembered(model: Model, me: Row | null, key: string): Remembered {
  const people = kept.get(model) ?? new Recent<Remembered>(MOST_PEOPLE)
  kept.set(model, people)
  return people.get(key, () => fresh(me))
}

/** A frozen copy: a caller that changes the claims afterwards must not change what is kept. */
function fresh(me: Row | null): Remembered {
  const copy = frozen(copied(me))
  return { me: copy, before: unspecialised(copy), views: new Map() }
}

/** Whether two persons have the same claims and linked records, as far as these are plain data. */
export function sameClaims(a: unknown, b: unknown): boolean {
  if (Object.is(a, b)) return true
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false
  if (Object.getPrototypeOf(a) !== Object.getPrototypeOf(b)) return false
  if (a instanceof Date) return Object.is(a.getTime(), (b as Date).getTime())
  if (!Array.isArray(a) && Object.getPrototypeOf(a) !== Object.prototype) return false
  const names = Object.keys(a)
  const same = (name: string) => Object.hasOwn(b, name) && sameClaims(a[name as never], b[name as never])
  return names.length === Object.keys(b).length && names.every(same)
}

/** The claims as text, which is the same only for the same claims; undefined if they contain something else than plain data. */
function textOf(value: unknown): string | undefined {
  if (value === undefined) return 'u'
  if (value === null || typeof value === 'boolean') return String(value)
  if (typeof value === 'string') return JSON.stringify(value)
  if (typeof value === 'number') return Object.is(value, -0) ? '-0' : String(value)
  if (typeof value === 'bigint') return `${value}n`
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
