import { allOfNode, anyOfNode, type ConditionNode, lower, perNode, presenceNode } from '../condition/index.js'
import {
  type AcceptanceNode,
  type ClauseNode,
  fieldOf,
  isKeyField,
  type Model,
  type TypeModel,
  typeModel,
  whoOf,
} from '../rulebook/index.js'
import { mayGainAlong } from './along.js'
import type { Encoder } from './encoder.js'
import type { Around } from './encoding.js'
import type { Example } from './example.js'
import { inShape, misfitsIn } from './fit.js'
import { gainsIn } from './gains.js'
import { areApart } from './identity.js'
import { clausesOf, fieldNode, permitted } from './permissions.js'
import { DEFAULT_LIMITS, type Found, type SearchLimits, search } from './search.js'
import { shrunk } from './shrink.js'
import type { Literal } from './solver.js'
import { isTouched } from './touched.js'
import { plainChange, unchanged } from './updates.js'
import { askedWrite, type Gain, targetsSeen, type Write, writtenBy } from './write-question.js'

/** A way in which a person gives themselves more by one write that the rules allow. */
export interface Promotion {
  readonly write: Write
  /** The clause that allows the write; undefined if it takes several together. */
  readonly by?: string
  readonly gain: Gain
  /** The acceptance of the rulebook that covers it. There is no example then. */
  readonly accepted?: AcceptanceNode
  /** What was found; undefined where it could not be decided. */
  readonly example?: Example
  readonly because?: string
}

/** A write and what is gained by it, and what was found: nothing, if nobody gains anything. */
export interface Asked {
  readonly write: Write
  readonly gain: Gain
  readonly found: readonly Promotion[]
}

const lowered = perNode((node) => lower(node))
const WRITES = ['create', 'update', 'delete'] as const

/**
 * Searches for one write by which a person may then see, change or delete something of another stored record that they could not before, for
 * every person and all records. Evaluation has to agree with each example; the in-memory store was not asked yet.
 * @throws ProofError if the solver made a mistake
 */
export function* promotionsIn(
  model: Model,
  types: readonly string[] = Object.keys(model.types),
  limits: SearchLimits = DEFAULT_LIMITS,
): Generator<Asked> {
  for (const type of types)
    for (const action of WRITES) {
      const write = { type, action }
      if ((typeModel(model, type).rules?.may[action] ?? []).length === 0) continue
      for (const gain of gainsOf(model)) yield { write, gain, found: promotionsBy(model, write, gain, limits) }
    }
}

/** What may be done to stored records. */
function gainsOf(model: Model): readonly Gain[] {
  return Object.values(model.types).flatMap(({ name: type, actions, rules }) =>
    actions.filter((action) => action !== 'create' && (rules?.may[action] ?? []).length > 0).map((action) => ({ type, action })),
  )
}

/** The ways in which a write gives its writer this: first whether there is any at all, then by which clauses. */
export function promotionsBy(model: Model, write: Write, gain: Gain, limits: SearchLimits = DEFAULT_LIMITS): readonly Promotion[] {
  // What reads nothing that the write changes is as it was.
  const written = writtenBy(model, write, () => true)
  const ways = waysOf(model, typeModel(model, gain.type), gain.action).map(({ when }) => lowered(when))
  return [
    ...(ways.some((way) => isTouched(way, model, written)) ? promotionsOf(model, write, gain, limits) : []),
    ...(write.action === 'delete' && mayGainAlong(model, write.type, ways) ? [promotionAlong(model, write, gain)] : []),
  ]
}

/** What may be gained by what a delete takes along. It can be accepted, like all others. */
function promotionAlong(model: Model, write: Write, gain: Gain): Promotion {
  const accepted = acceptanceOf(model, write, undefined, gain)
  return {
    write,
    gain,
    ...(accepted === undefined ? { because: 'more may be gained by the records that are deleted along with it' } : { accepted }),
  }
}

function promotionsOf(model: Model, write: Write, gain: Gain, limits: SearchLimits): readonly Promotion[] {
  const all = typeModel(model, write.type).rules?.may[write.action] ?? []
  const found = (clauses: readonly ClauseNode[], without: readonly ClauseNode[] = []) =>
    searched(model, { write, gain, clauses, without }, limits)
  const whole = found(all)
  if (whole.kind === 'none') return []
  const foundAs = (sought: Omit<Sought, 'write' | 'gain'>, one: Found, by: string | undefined): Promotion[] => {
    if (one.kind === 'none') return []
    const accepted = acceptanceOf(model, write, by, gain)
    const named = by === undefined ? {} : { by }
    if (accepted !== undefined) return [{ write, ...named, gain, accepted }]
    return [{ write, ...named, gain, ...told(finished(model, { write, gain, ...sought }, one)) }]
  }
  const single = all.flatMap((clause) =>
    foundAs({ clauses: [clause], without: [] }, all.length === 1 ? whole : found([clause]), clause.title),
  )
  const named = all.filter(({ title }) => single.some(({ by }) => by === title))
  // What takes several clauses together, by people and records of which none of those holds.
  const rest = all.length - named.length < 2 ? undefined : named.length === 0 ? whole : found(all, named)
  return rest === undefined ? single : [...single, ...foundAs({ clauses: all, without: named }, rest, undefined)]
}

/** The acceptance of the rulebook that covers a gain by a write. */
function acceptanceOf(model: Model, write: Write, by: string | undefined, gain: Gain): AcceptanceNode | undefined {
  const type = typeModel(model, write.type)
  const clause = type.rules?.may[write.action]?.find(({ title }) => title === by)
  return type.accepts?.find(
    (one) =>
      one.write === write.action &&
      (one.by === undefined || (clause !== undefined && (one.by === by || one.by === whoOf(type, clause)))) &&
      (one.gains === 'everything' || one.gains[gain.action]?.includes(gain.type) === true),
  )
}

function told(found: Exclude<Found, { readonly kind: 'none' }>): Pick<Promotion, 'example' | 'because'> {
  return found.kind === 'example' ? { example: found.example } : { because: found.because }
}

/** A write that some clauses allow, and something that is gained. */
interface Sought {
  readonly write: Write
  readonly gain: Gain
  readonly clauses: readonly ClauseNode[]
  /** Clauses that do not hold. */
  readonly without: readonly ClauseNode[]
}

function searched(model: Model, sought: Sought, limits: SearchLimits): Found {
  const confirms = (example: Example) => gainsIn(model, sought.write, sought.gain, example)
  return search({ model, ask: (encoder) => asked(encoder, model, sought), confirms }, limits)
}

/** An example as small as it can be, in forms that its shapes accept. */
function finished(
  model: Model,
  sought: Sought,
  found: Exclude<Found, { readonly kind: 'none' }>,
): Exclude<Found, { readonly kind: 'none' }> {
  if (found.kind !== 'example') return found
  const confirms = (example: Example) => gainsIn(model, sought.write, sought.gain, example)
  const { type } = sought.write
  const example = inShape(model, shrunk(found.example, confirms), type, confirms)
  const [wrong] = misfitsIn(model, example, type)
  if (wrong === undefined) return { kind: 'example', example }
  return { kind: 'unknown', because: `the example that was found does not fit the shape at ${wrong.at}: ${wrong.message}` }
}

/** The question in the words of the solver. */
function asked(
  encoder: Encoder,
  model: Model,
  { write, gain, clauses, without }: Sought,
): { readonly literals: readonly Literal[]; readonly around: Around } {
  const { literals, around, change } = askedWrite(encoder, model, write, (clause) => clauses.includes(clause))
  const target = encoder.record(gain.type, true)
  const apart = change.before !== undefined && gain.type === change.type ? [areApart(encoder, target, change.before)] : []
  const absent = without.map(({ when }) => encoder.encode(when, around, false))
  const then = encoder.afterwards(change)
  const type = typeModel(model, gain.type)
  const targetAfter = gain.action === 'update' ? encoder.record(gain.type, false) : target
  const there = { record: target, after: targetAfter }
  const limits =
    gain.action === 'update'
      ? [...unchanged(encoder, model, gain.type, there, { encode: then }), then(targetsSeen(model, type, 'update'), there)]
      : []
  // That an object is another one cannot be seen: an example changes something else.
  const isSeen = ({ field }: Way) => field === undefined || !['group', 'other'].includes(fieldOf(type, field).type)
  const wanted = waysOf(model, type, gain.action).filter((way) => !encoder.isPlain || isSeen(way))
  const ways = wanted.map(({ when, field }) =>
    encoder.all([
      then(when, there),
      encoder.encode(when, there, false),
      ...(gain.action === 'update' ? plainChange(encoder, field, there) : []),
    ]),
  )
  return {
    literals: [...literals, ...apart, ...absent, ...limits, encoder.any(ways)],
    around: { ...around, target, ...(targetAfter === target ? {} : { targetAfter }) },
  }
}

/** A condition that is gained: to do something at all, or to a field. */
interface Way {
  readonly when: ConditionNode
  readonly field?: string
}

const known = new WeakMap<TypeModel, Map<string, readonly Way[]>>()

function waysOf(model: Model, type: TypeModel, action: string): readonly Way[] {
  const there = known.get(type) ?? new Map<string, readonly Way[]>()
  known.set(type, there)
  const found = there.get(action) ?? made(model, type, action)
  there.set(action, found)
  return found
}

function made(model: Model, type: TypeModel, action: string): readonly Way[] {
  const fields = Object.keys(type.fields).filter((name) => !isKeyField(type, name))
  const way = (field?: string): Way => ({
    when: permitted(model, { type: type.name, action, field }),
    ...(field === undefined ? {} : { field }),
  })
  if (action === 'update') return fields.map(way)
  const hasLimits = (type.rules?.may.read ?? []).some(({ fields }) => fields !== undefined)
  if (action !== 'read' || !hasLimits) return [way()]
  // Fields that the same clauses show are gained together.
  const alike = new Map<string, string[]>()
  for (const field of fields) {
    const name = clausesOf(type, 'read', field)
      .map(({ title }) => title)
      .join('\n')
    alike.set(name, [...(alike.get(name) ?? []), field])
  }
  const byField = [...alike.values()].map((names) => {
    const first = way(names[0]).when
    // A field that is always there tells the least.
    if (names.some((name) => type.fields[name]?.optional !== true)) return { when: first }
    return { when: allOfNode([first, anyOfNode(names.map((name) => presenceNode(fieldNode(type, name, 'record'), true)))]) }
  })
  return [way(), ...byField]
}
