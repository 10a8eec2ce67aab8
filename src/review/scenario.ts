import { isPachterError, jsonText, type Row, TRUE } from '../condition/index.js'
import { type Key, keyOf, type Model, typeModel, UnknownNameError } from '../rulebook/index.js'
import { DeniedError, type GuardedStore, InvalidError, inMemory, openStore, type Records, type Tables } from '../store/index.js'
import { keyIs } from '../store/read/key-conditions.js'
import { type InnerViewpoint, indexed, type Rulebook, readClaims, rulebookOf, type Verdict } from '../viewpoint/index.js'
import type { Refusal } from './expectations/expectation.js'

/** The people, the records and the time. */
export interface GroundOptions {
  /** Claims by name; null is a visitor. */
  readonly people: { readonly [name: string]: Row | null }
  readonly records: Records
  readonly now?: Date | undefined
}

/** An action of a person. */
export interface Attempted {
  readonly action: string
  readonly type: string
  readonly key?: Key | undefined
  readonly sending?: Row | undefined
  readonly within?: string | undefined
}

/** The result. */
export interface Outcome {
  readonly outcome: 'allowed' | Refusal
  readonly message?: string
  /** The record afterwards, as the asker sees it. */
  readonly record?: Row
}

/** A rulebook, people and records for judging expectations. The records do not change: actions run on a copy. */
export interface Ground extends GroundOptions {
  readonly book: Rulebook
  readonly model: Model
  readonly now: Date
  viewpoint(person: string, within?: string): InnerViewpoint
  /** The record with that key. */
  record(type: string, key: Key): Row | undefined
  keys(type: string): readonly Key[]
  store(person: string): GuardedStore
  /** Runs an action on the copy and returns the result. It is undone afterwards, unless `keep` is set. */
  attempt(person: string, what: Attempted, keep?: boolean): Promise<Outcome>
  /** How the copy differs from the records, for this record and the number of records of each type; undefined if it does not. */
  touched(type: string, key: Key | undefined): Promise<string | undefined>
  /** Starts again with a new copy. */
  refresh(): void
  /** The same people and records with another rulebook. */
  under(model: Model): Ground
  /** The same at another time. */
  asOf(now: Date): Ground
}

/** A person with only an id, and empty lists where the shape requires lists. @throws ClaimsError if the shape requires more. */
export function strangerOf({ me }: Pick<Model, 'me'>): Row {
  const claims: Record<string, unknown> = { [me.key]: me.fields[me.key]?.type === 'integer' ? Number.MAX_SAFE_INTEGER : 'unknown-person' }
  for (const [name, field] of Object.entries(me.fields)) if (name !== me.key && field.list && !field.optional) claims[name] = []
  return readClaims(me, claims) as Row
}

/** The people, and the visitor and unknown person, who are always included. */
export function withEverybody(model: Model, people: GroundOptions['people'], unknown?: Row): GroundOptions['people'] {
  return { ...people, unknown: people.unknown ?? unknown ?? strangerOf(model), visitor: null }
}

/** Creates a scenario for expectations. @throws ClaimsError, DuplicateKeyError, UnknownNameError */
export function groundOf(book: { readonly model: Model }, options: GroundOptions): Ground {
  const rows = new Map<string, ReadonlyMap<Key, Row>>()
  const linked = indexed(options.records)
  const rowsOf = (type: string) => {
    let found = rows.get(type)
    if (found === undefined) {
      const model = typeModel(book.model, type)
      found = new Map((options.records[type] ?? []).map((row) => [keyOf(model, row as Row), row as Row]))
      rows.set(type, found)
    }
    return found
  }
  const backend = inMemory(options.records)
  let kept: Tables | undefined
  const copy = () => {
    kept ??= backend(book.model)
    return kept
  }
  const claimsOf = (person: string): Row | null => {
    if (!Object.hasOwn(options.people, person)) throw new UnknownNameError('person', person, Object.keys(options.people))
    return options.people[person] ?? null
  }

  function made(model: Model, now: Date): Ground {
    const others = new Map<number, Ground>()
    const whole = rulebookOf(model)
    const views = new Map<string, InnerViewpoint>()
    const stores = new Map<string, GuardedStore>()
    const storeOf = (person: string, keep: boolean): GuardedStore => {
      const name = `${keep} ${person}`
      let found = stores.get(name)
      if (found === undefined) {
        const store = openStore(whole, () => (keep ? renewed(copy) : undone(copy)), { now })
        found = store.for(claimsOf(person))
        stores.set(name, found)
      }
      return found
    }
    return Object.freeze({
      ...options,
      now,
      book: whole,
      model,
      viewpoint(person: string, within?: string) {
        const name = `${within ?? ''} ${person}`
        let found = views.get(name)
        if (found === undefined) {
          const how = { now, records: linked, ...(within === undefined ? {} : { within }) }
          found = whole.for(claimsOf(person), how) as unknown as InnerViewpoint
          views.set(name, found)
        }
        return found
      },
      record: (type: string, key: Key) => rowsOf(type).get(key),
      keys: (type: string) => [...rowsOf(type).keys()],
      store: (person: string) => storeOf(person, false),
      attempt: (person: string, what: Attempted, keep = false) => attempt(storeOf(person, keep), what),
      touched: (type: string, key: Key | undefined) => touched(copy(), model, rowsOf, type, key, now.getTime()),
      refresh() {
        kept = undefined
      },
      under: (other: Model) => made(other, now),
      asOf(instant: Date) {
        const found = others.get(instant.getTime()) ?? made(model, instant)
        others.set(instant.getTime(), found)
        return found
      },
    })
  }
  return made(book.model, options.now ?? new Date())
}

const UNDO = Symbol('undo')

/** Tables on which every transaction runs, returns its result, and is rolled back. */
function undone(tables: () => Tables): Tables {
  return forwarded(tables, async (work) => {
    let done: unknown
    try {
      await tables().transaction(async (inside) => {
        done = await work(inside)
        throw UNDO
      })
    } catch (error) {
      if (error !== UNDO) throw error
    }
    return done as never
  })
}

/** The tables of the current copy. */
function renewed(tables: () => Tables): Tables {
  return forwarded(tables, (work) => tables().transaction(work))
}

function forwarded(tables: () => Tables, transaction: Tables['transaction']): Tables {
  return {
    select: (type, selection) => tables().select(type, selection),
    count: (type, selection) => tables().count(type, selection),
    countBy: (type, field, selection) => tables().countBy(type, field, selection),
    test: (conditions, now) => tables().test(conditions, now),
    insert: (type, row) => tables().insert(type, row),
    update: (type, changes, target) => tables().update(type, changes, target),
    remove: (type, target) => tables().remove(type, target),
    wasRemoved: (type, key) => tables().wasRemoved(type, key),
    transaction,
  }
}

async function attempt(store: GuardedStore, { action, type, key, sending = {}, within }: Attempted): Promise<Outcome> {
  const doIt = async (one: GuardedStore): Promise<Row | undefined> => {
    if (action === 'read') return (await one.get(type, key as Key)) as Row
    if (action === 'create') return (await one.create(type, sending)) as Row
    if (action === 'update') return (await one.update(type, key as Key, sending)) as Row
    if (action === 'delete') return void (await one.delete(type, key as Key))
    const verdict = await one.verdict(action, type, key as Key)
    if (!verdict.allowed) throw new Unasked(verdict)
    return undefined
  }
  try {
    const record = within === undefined ? await doIt(store) : await store.routine(within, doIt)
    return { outcome: 'allowed', ...(record === undefined ? {} : { record }) }
  } catch (error) {
    if (error instanceof Unasked || error instanceof DeniedError)
      return { outcome: error.verdict.outcome as Refusal, message: error.message }
    if (error instanceof InvalidError || isPachterError(error, 'DUPLICATE_KEY'))
      return { outcome: 'invalid', message: (error as Error).message }
    throw error
  }
}

/** The answer to a question that changes nothing. */
class Unasked extends Error {
  constructor(readonly verdict: Verdict) {
    super(verdict.message)
  }
}

async function touched(
  tables: Tables,
  model: Model,
  rowsOf: (type: string) => ReadonlyMap<Key, Row>,
  typeName: string,
  key: Key | undefined,
  now: number,
): Promise<string | undefined> {
  for (const type of Object.keys(model.types)) {
    const [is, was] = [await tables.count(type, { where: TRUE, now }), rowsOf(type).size]
    if (is !== was) return `there are ${is} ${type} records, and there were ${was} before`
  }
  if (key === undefined) return undefined
  const type = typeModel(model, typeName)
  const [found] = await tables.select(typeName, { where: keyIs(type, key), now })
  const [is, was] = [found?.row, rowsOf(typeName).get(key)]
  const changed = Object.keys(type.fields).filter((name) => jsonText(is?.[name] ?? null) !== jsonText(was?.[name] ?? null))
  return changed.length === 0 ? undefined : `${typeName} ${key} has changed: ${changed.join(', ')}`
}
