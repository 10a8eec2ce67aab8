import { isMissing, jsonText, type Row } from '../../condition/index.js'
import { isGenerated, isKeyField, type Key, keyOf, type Model, serverKey, type TypeModel, typeModel } from '../../rulebook/index.js'
import { stampValues } from '../../viewpoint/index.js'
import type { Expectation, TryExpectation } from '../expectations/expectation.js'
import { isTakenAlong, reached } from '../expectations/judge.js'
import type { Attempted, Ground, Outcome } from '../scenario.js'
import { type Bits, count, each, has } from './bits.js'
import type { RecordSets } from './sets.js'

/** Finds an expectation that holds for one rulebook and not for another, on the same people and records. Undefined if it finds none. */
export type Distinguisher = (other: Ground, about: About) => Promise<Expectation | undefined>

/** Where to look for a difference. */
export interface About {
  /** The record types whose rules differ. */
  readonly types: readonly string[]
  /** The action that differs, if only one does. */
  readonly action?: string | undefined
}

/** The most creations and updates that are tried for each record type and person. */
const MOST_TRIED = 400
/** The most values of other records that are tried for a field. */
const MOST_VALUES = 5
/** A list of up to this many records is stated completely. */
const MOST_NAMED = 20

/**
 * Looks for a difference between two rulebooks: first in the sets of who may do what to which record, then in fields and privileges, then
 * by creating and updating records with values of other records.
 */
export function distinguisher(ground: Ground, sets: RecordSets): Distinguisher {
  const search = new Search(ground, sets)
  return (other, about) => search.between(other, about)
}

/** The two rulebooks, and where to look. */
class Search {
  readonly #ground: Ground
  readonly #sets: RecordSets
  readonly #people: readonly string[]
  readonly #outcomes = new Map<string, Promise<Outcome>>()
  readonly #tries = new Map<string, readonly Attempted[]>()

  constructor(ground: Ground, sets: RecordSets) {
    this.#ground = ground
    this.#sets = sets
    this.#people = Object.keys(ground.people)
  }

  async between(other: Ground, { types, action }: About): Promise<Expectation | undefined> {
    for (const type of types) {
      const found = (await this.#reaching(other, type)) ?? this.#fields(other, type)
      if (found !== undefined) return found
    }
    const granted = this.#grants(other)
    if (granted !== undefined) return granted
    for (const type of types)
      for (const one of ['create', 'update'] as const) {
        if (action !== undefined && action !== one && action !== 'read') continue
        const found = await this.#tried(other, type, one)
        if (found !== undefined) return found
      }
    return undefined
  }

  /** Who may do what to which records. */
  async #reaching(other: Ground, type: string): Promise<Expectation | undefined> {
    const actions = typeModel(this.#ground.model, type).actions.filter((action) => action !== 'create')
    for (const action of actions)
      for (const person of this.#people) {
        const found = await this.#reachedBy(other, type, action, person)
        if (found !== undefined) return found
      }
    return undefined
  }

  async #reachedBy(other: Ground, type: string, action: string, person: string): Promise<Expectation | undefined> {
    const [mine, theirs] = [this.#ground, other].map((one) => one.viewpoint(person).rules(type, action).when)
    if (mine === undefined || theirs === undefined || JSON.stringify(mine) === JSON.stringify(theirs)) return undefined
    const [was, is] = [this.#sets.where(type, mine), this.#sets.where(type, theirs)]
    const at = firstDifference(was, is)
    if (at === undefined) return undefined
    if (isTakenAlong(this.#ground, action, type)) {
      // The sets consider the rules of the record itself. Other records may block a deletion too.
      const had = await reached(this.#ground, person, action, type)
      return reachDifference(person, action, type, had, await reached(other, person, action, type))
    }
    const model = typeModel(this.#ground.model, type)
    const keyAt = (number: number) => keyOf(model, this.#sets.rows(type)[number] as Row)
    if (count(was) > MOST_NAMED) return reachExpectation(person, action, type, keyAt(at), has(was, at))
    const keys: Key[] = []
    each(was, (number) => keys.push(keyAt(number)))
    return { kind: 'reach', person, action, type, extent: 'exactly', keys }
  }

  /** Who sees or may change which fields. */
  #fields(other: Ground, type: string): Expectation | undefined {
    for (const action of ['read', 'update'] as const)
      for (const person of this.#people) {
        const [mine, theirs] = [this.#ground.viewpoint(person), other.viewpoint(person)]
        if (limits(mine.rules(type, action).clauses) === limits(theirs.rules(type, action).clauses)) continue
        for (const row of this.#ground.records[type] ?? []) {
          const [was, is] = [mine, theirs].map((view) => view.verdict(action, type, row as Row))
          if (!was?.allowed || !is?.allowed) continue
          const found = fieldsDifference(typeModel(this.#ground.model, type), { person, action, type }, row as Row, was.fields, is.fields)
          if (found !== undefined) return found
        }
      }
    return undefined
  }

  /** Who has which privileges and may call which routines. */
  #grants(other: Ground): Expectation | undefined {
    const { privileges, routines } = this.#ground.model
    for (const person of this.#people) {
      const [mine, theirs] = [this.#ground.viewpoint(person), other.viewpoint(person)]
      for (const name of Object.keys(privileges)) {
        const has = mine.has(name)
        if (has !== theirs.has(name)) return { kind: 'privilege', person, name, has }
      }
      for (const name of Object.keys(routines)) {
        const has = mine.mayCall(name)
        if (has !== theirs.mayCall(name)) return { kind: 'routine', person, name, has }
      }
    }
    return undefined
  }

  /** The results of creating and updating. */
  async #tried(other: Ground, type: string, action: 'create' | 'update'): Promise<Expectation | undefined> {
    const ground = this.#ground
    for (const person of this.#people) {
      if (alike(ground, other, person, type, action)) continue
      const name = `${action} ${type} ${person}`
      const all = this.#tries.get(name) ?? (action === 'create' ? creations(ground, person, type) : updates(ground, person, type))
      this.#tries.set(name, all)
      for (const what of all) {
        const [was, is] = [await this.#outcomeOf(person, what), await other.attempt(person, what)]
        const found = tryExpectation(ground.model, person, what, was, is)
        if (found !== undefined) return found
      }
    }
    return undefined
  }

  #outcomeOf(person: string, what: Attempted): Promise<Outcome> {
    const name = JSON.stringify([person, what])
    const found = this.#outcomes.get(name) ?? this.#ground.attempt(person, what)
    this.#outcomes.set(name, found)
    return found
  }
}

function fieldsDifference(
  type: TypeModel,
  about: { readonly person: string; readonly action: 'read' | 'update'; readonly type: string },
  row: Row,
  was: readonly string[] | undefined,
  is: readonly string[] | undefined,
): Expectation | undefined {
  const all = Object.keys(type.fields).filter((name) => !isKeyField(type, name))
  const [had, got] = [was ?? all, is ?? all]
  const key = keyOf(type, row)
  // State everything that is hidden or fixed, not only this difference: other mutants may differ in the rest.
  if (got.some((name) => !had.includes(name)))
    return { kind: 'fields', ...about, key, extent: 'none', fields: all.filter((name) => !had.includes(name)) }
  if (had.some((name) => !got.includes(name))) return { kind: 'fields', ...about, key, extent: 'at least', fields: had }
  return undefined
}

function firstDifference(a: Bits, b: Bits): number | undefined {
  let found: number | undefined
  const differs = { size: a.size, words: a.words.map((word, at) => word ^ (b.words[at] as number)) }
  each(differs, (at) => {
    found ??= at
  })
  return found
}

function reachDifference(person: string, action: string, type: string, was: readonly Key[], is: readonly Key[]): Expectation | undefined {
  const less = was.find((key) => !is.includes(key))
  const differing = less ?? is.find((key) => !was.includes(key))
  if (differing === undefined) return undefined
  if (was.length > MOST_NAMED) return reachExpectation(person, action, type, differing, less !== undefined)
  return { kind: 'reach', person, action, type, extent: 'exactly', keys: was }
}

function reachExpectation(person: string, action: string, type: string, key: Key, allowed: boolean): Expectation {
  const extent = allowed ? 'at least' : 'none'
  if (action === 'read' || action === 'update') return { kind: 'reach', person, action, type, extent, keys: [key] }
  return { kind: 'try', person, action, type, key, allowed }
}

/** The attempt is the same in both: for this person, neither the action's rules nor the stamps differ. */
function alike(a: Ground, b: Ground, person: string, type: string, action: 'create' | 'update'): boolean {
  const [mine, theirs] = [a, b].map((ground) => {
    const callable = Object.keys(ground.model.routines).filter((name) => ground.viewpoint(person).mayCall(name))
    const told = [undefined, ...callable].map((within) => {
      const view = ground.viewpoint(person, within)
      const { clauses, open } = view.rules(type, action)
      const of = clauses.map(({ when, afterwards, clause }) => [when, afterwards?.when, clause.fields, clause.overriding])
      return [within, of, open.when, action === 'create' ? null : view.rules(type, 'read').when]
    })
    return JSON.stringify([told, typeModel(ground.model, type).rules?.stamps[action]])
  })
  return mine === theirs
}

function limits(clauses: readonly { readonly clause: { readonly fields?: readonly string[] }; readonly when: unknown }[]): string {
  return JSON.stringify(clauses.map(({ clause, when }) => [clause.fields, when]))
}

function tryExpectation(model: Model, person: string, what: Attempted, was: Outcome, is: Outcome): TryExpectation | undefined {
  const { action, type, key, sending, within } = what
  const about = {
    kind: 'try' as const,
    person,
    action,
    type,
    ...(key === undefined ? {} : { key }),
    ...(sending === undefined ? {} : { sending }),
    ...(within === undefined ? {} : { within }),
  }
  if ((was.outcome === 'allowed') !== (is.outcome === 'allowed')) {
    const allowed = was.outcome === 'allowed'
    return { ...about, allowed, ...(was.outcome === 'invalid' ? { as: 'invalid' as const } : {}) }
  }
  if (was.outcome !== 'allowed' || was.record === undefined) return undefined
  const known = typeModel(model, type)
  const differing = Object.keys(known.fields).filter(
    (name) =>
      name !== serverKey(known) &&
      !isGenerated(known, name) &&
      jsonText(was.record?.[name] ?? null) !== jsonText(is.record?.[name] ?? null),
  )
  if (differing.length === 0) return undefined
  return { ...about, allowed: true, giving: Object.fromEntries(differing.map((name) => [name, was.record?.[name] ?? null])) }
}

/** The values of a field in the data, and the asker's id for fields with ids; the most different ones first. */
function valuesOf(ground: Ground, person: string, type: string, name: string): unknown[] {
  const held = (ground.records[type] ?? []).map((row) => (row as Row)[name])
  const ids = Object.values(ground.people).map((claims) => claims?.[ground.model.me.key])
  // A field with a person's id can be set to the asker's id.
  const own = held.some((value) => value !== undefined && ids.includes(value)) ? [ground.people[person]?.[ground.model.me.key]] : []
  const found = new Map<string, unknown>()
  for (const value of [...own, ...held]) if (value !== undefined && !found.has(jsonText(value))) found.set(jsonText(value), value)
  return [...found.values()].slice(0, MOST_VALUES)
}

/** Copies of existing records, as a person would create them: unchanged, and with one field changed. */
function creations(ground: Ground, person: string, type: string): readonly Attempted[] {
  const model = typeModel(ground.model, type)
  const { fields, rules } = model
  const key = serverKey(model)
  const stamped = [...Object.keys(rules?.stamps.create ?? {}), ...(model.generated ?? []).filter((name) => name !== key)]
  const stamps = stampValues(typeModel(ground.model, type), 'create', ground.viewpoint(person).env())
  const tries: Attempted[] = []
  for (const row of key === undefined ? otherKeys(ground, person, model) : (ground.records[type] ?? [])) {
    const whole = Object.fromEntries(Object.entries(row).filter(([name, value]) => name !== key && !isMissing(value, 'other')))
    const bare = Object.fromEntries(Object.entries(whole).filter(([name]) => !stamped.includes(name)))
    tries.push({ action: 'create', type, sending: bare })
    for (const name of stamped)
      if (whole[name] !== undefined && jsonText(whole[name]) !== jsonText(stamps[name]))
        tries.push({ action: 'create', type, sending: { ...bare, [name]: whole[name] } })
    for (const name of Object.keys(fields)) {
      if (name === key || stamped.includes(name)) continue
      for (const value of valuesOf(ground, person, type, name)) tries.push({ action: 'create', type, sending: { ...bare, [name]: value } })
    }
  }
  return spread(tries)
}

/** Records with keys of several fields that no record has, and everything else of one that exists. */
function otherKeys(ground: Ground, person: string, type: TypeModel): readonly Row[] {
  const rows = (ground.records[type.name] ?? []) as readonly Row[]
  const moved = rows.flatMap((row) =>
    type.keys.flatMap((name) => valuesOf(ground, person, type.name, name).map((value) => ({ ...row, [name]: value }))),
  )
  return moved.filter((row) => ground.record(type.name, keyOf(type, row)) === undefined)
}

/** Updates that set each field to values of other records, inside each routine that the person may call, and outside. */
function updates(ground: Ground, person: string, type: string): readonly Attempted[] {
  const model = typeModel(ground.model, type)
  const { fields, rules } = model
  const routines = [...new Set((rules?.may.update ?? []).flatMap(({ within }) => within ?? []))]
  const mine = [undefined, ...routines.filter((name) => ground.viewpoint(person).mayCall(name))]
  const tries: Attempted[] = []
  for (const row of ground.records[type] ?? []) {
    if (!ground.viewpoint(person).verdict('read', type, row as Row).allowed) continue
    for (const name of Object.keys(fields)) {
      if (isKeyField(model, name)) continue
      for (const value of valuesOf(ground, person, type, name))
        for (const within of mine)
          tries.push({ action: 'update', type, key: keyOf(model, row as Row), sending: { [name]: value }, ...(within ? { within } : {}) })
    }
  }
  return spread(tries)
}

/** This many of them, spread evenly. */
function spread(tries: readonly Attempted[]): readonly Attempted[] {
  if (tries.length <= MOST_TRIED) return tries
  return Array.from({ length: MOST_TRIED }, (_, at) => tries[Math.floor((at * tries.length) / MOST_TRIED)] as Attempted)
}
