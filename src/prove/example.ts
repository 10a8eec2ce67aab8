import type { Comparable, Row } from '../condition/index.js'
import { type Field, type Model, timeAs } from '../rulebook/index.js'
import type { Classes } from './classes.js'
import type { Encoder } from './encoder.js'
import type { Around } from './encoding.js'
import { filled, isObject } from './filling.js'
import { BLANK, improper } from './individuals.js'
import { namesOf } from './naming.js'
import type { Individual, Slot } from './terms.js'

/** A made-up person with the few records that matter, at a moment. */
export interface Example {
  /** The claims; null for a visitor. */
  readonly me: Row | null
  /** Milliseconds since 1970. */
  readonly now: number
  readonly records: { readonly [type: string]: readonly Row[] }
  /** The fields that matter, by record type; those of the claims under `me`. The others have any values that their shape accepts. */
  readonly told: { readonly [type: string]: readonly string[] }
  /** The record of the question, and what it would become. */
  readonly record?: Row
  readonly becomes?: Row
  /** Another stored record, of which the person gains something by the write, and what they could then make of it. */
  readonly target?: Row
  readonly targetBecomes?: Row
}

/** The world that the solver found. */
export function exampleOf(encoder: Encoder, around: Around, classes: Classes): Example {
  const { values, individuals, me } = encoder
  const { solver } = values
  const concrete = namesOf(encoder, classes)
  const rows = new Map<Individual, Row>()
  const elements = individuals.all.filter((one) => one.type.includes(' ') && solver.holds(one.exists))
  const rowOf = (one: Individual): Row => {
    const row: Record<string, unknown> = {}
    for (const slot of one.slots.values()) if (slot.asId === undefined) place(row, one, slot, valueIn(one, slot))
    return row
  }
  const valueIn = (one: Individual, slot: Slot): unknown => {
    if (!solver.holds(slot.there)) return undefined
    const asId = one.slots.get(`${slot.path.join('.')} id`)
    if (asId !== undefined && !solver.holds(asId.there)) return BLANK
    if (slot.field.list) {
      const objects = elements.filter(({ type }) => type === `${one.id} ${slot.path.join('.')}`).map(rowOf)
      if (objects.length > 0) return objects
      const listed = slot.list === undefined ? [] : values.elementsOf(slot.list)
      return [...new Set(listed.filter(({ is }) => solver.holds(is)).map(({ value }) => concrete.of(value)))].map((value) =>
        held(slot.field, value),
      )
    }
    if (slot.field.type === 'other') return undefined
    // What is in it has slots of its own.
    if (slot.field.type === 'group') return {}
    return solver.holds(slot.proper) ? held(slot.field, concrete.of(slot.value)) : improper(slot.field)
  }
  const records: { [type: string]: Row[] } = Object.fromEntries(Object.keys(encoder.model.types).map((type) => [type, []]))
  const merged = new Map<string, Record<string, unknown>>()
  for (const one of individuals.all) {
    const known = Object.hasOwn(records, one.type)
    if (!known || !solver.holds(one.exists)) continue
    const row = rowOf(one)
    if (!one.stored) {
      rows.set(one, filled(encoder.model, one.type, row))
      continue
    }
    const key = JSON.stringify([one.type, ...individuals.key(one).map(({ path }) => inside(row, path))])
    const there = merged.get(key)
    if (there === undefined) merged.set(key, { ...row })
    else merge(there, row)
    rows.set(one, merged.get(key) as Row)
  }
  const finished = new Map<Row, Row>()
  for (const [key, row] of merged) {
    const [type] = JSON.parse(key) as [string]
    const whole = filled(encoder.model, type, row)
    finished.set(row, whole)
    records[type]?.push(whole)
  }
  const told = (one: Individual | undefined) => {
    const row = one && rows.get(one)
    return row && (finished.get(row) ?? row)
  }
  const [record, after] = [told(around.record), around.after === around.record ? undefined : told(around.after)]
  const [target, targetAfter] = [told(around.target), told(around.targetAfter)]
  const claims = solver.holds(encoder.signedIn) ? filled(encoder.model, undefined, rowOf(ownClaims(encoder.model, me))) : null
  return Object.freeze({
    me: claims,
    now: concrete.now,
    records,
    told: toldIn(encoder),
    ...(record === undefined ? {} : { record }),
    ...(after === undefined || record === undefined ? {} : { becomes: unchangedKept(around.after, record, after) }),
    ...(target === undefined ? {} : { target }),
    ...(target === undefined || targetAfter === undefined ? {} : { targetBecomes: unchangedKept(around.targetAfter, target, targetAfter) }),
  })
}

/** The fields that something was said about. */
function toldIn({ individuals, model }: Encoder): Example['told'] {
  const told = new Map<string, Set<string>>()
  for (const { type, slots } of individuals.all) {
    if (type !== 'me' && !Object.hasOwn(model.types, type)) continue
    const names = told.get(type) ?? new Set<string>()
    for (const { path } of slots.values()) if (path.length > 0) names.add(path[0] as string)
    told.set(type, names)
  }
  return Object.fromEntries([...told].map(([type, names]) => [type, [...names]]))
}

/** A changed record has the stored values at all places that nothing was said about. */
function unchangedKept(after: Individual | undefined, record: Row, changed: Row): Row {
  const row: Record<string, unknown> = { ...record }
  for (const { path } of after?.slots.values() ?? []) {
    const [name] = path as [string]
    if (changed[name] === undefined) delete row[name]
    else row[name] = changed[name]
  }
  return row
}

/** The claims themselves, without what belongs to linked records. */
function ownClaims(model: Model, me: Individual): Individual {
  const slots = new Map([...me.slots].filter(([, { path }]) => !Object.hasOwn(model.me.links, path[0] as string)))
  return { ...me, slots }
}

function place(row: Record<string, unknown>, { fields }: Individual, { path, field }: Slot, value: unknown): void {
  if (path.length === 0) return
  let into = row
  for (const step of path.slice(0, -1)) {
    const inner = into[step]
    if (typeof inner !== 'object' || inner === null) {
      if (value === undefined) return
      into[step] = {}
    }
    into = into[step] as Record<string, unknown>
  }
  const last = path.at(-1) as string
  if (field.type === 'group' && isObject(value) && isObject(into[last])) return
  const missing = field.nullable ? null : undefined
  if (value === undefined && field.type === 'other' && fields[last]?.optional !== true) return
  into[last] = value === undefined ? missing : value
}

function held(field: Field, value: Comparable): unknown {
  return field.type === 'time' ? timeAs(field, value as number) : value
}

function merge(into: Record<string, unknown>, row: Row): void {
  for (const [name, value] of Object.entries(row)) {
    const there = into[name]
    if (there === undefined) into[name] = value
    else if (isObject(there) && isObject(value)) merge(there, value)
    else if (Array.isArray(there) && Array.isArray(value)) into[name] = [...new Set([...there, ...value])]
  }
}

function inside(row: Row, path: readonly string[]): unknown {
  return path.reduce<unknown>((from, step) => (from as Row | undefined)?.[step], row)
}
