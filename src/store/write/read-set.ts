import {
  allOfNode,
  type Comparable,
  type Env,
  type Links,
  newContext,
  type PlaceNode,
  type predicate,
  type Row,
  valuesAt,
} from '../../condition/index.js'
import { placeIs, placeIsOneOf } from '../read/key-conditions.js'
import type { Tables } from '../tables.js'

/** The linked records that the rules of a write were judged on. They are locked and do not change until it ends. */
export interface Relied extends Links {
  /** Stores the records that were read for a request. */
  keep(unread: Unread, rows: readonly Row[]): void
  /** The read set to use after a record of the type was written: without that type, and without further locks. */
  without(type: string): Relied
  /** How requested records are read. */
  readonly lock?: 'share'
}

/** Thrown when a condition requests records that were not read yet. */
class Unread {
  readonly type: string
  readonly places: readonly PlaceNode[]
  readonly values: readonly Comparable[]

  constructor(type: string, places: readonly PlaceNode[], values: readonly Comparable[]) {
    this.type = type
    this.places = places
    this.values = values
  }
}

/** An empty read set. */
export function reliedOn(): Relied {
  return relying(new Map(), 'share')
}

interface Read {
  readonly type: string
  readonly rows: readonly Row[]
}

function relying(known: Map<string, Read>, lock?: 'share'): Relied {
  return {
    ...(lock ? { lock } : {}),
    find(type, places, values) {
      const wanted = new Unread(type, places, values)
      const read = known.get(nameOf(wanted))
      if (read === undefined) throw wanted
      return read.rows
    },
    keep(unread, rows) {
      known.set(nameOf(unread), { type: unread.type, rows })
    },
    without: (type) => relying(new Map([...known].filter(([, read]) => read.type !== type))),
  }
}

function nameOf({ type, places, values }: Unread): string {
  return JSON.stringify([type, places, values])
}

async function read(tables: Tables, now: number, { type, places, values }: Unread, lock: 'share' | undefined): Promise<Row[]> {
  const where = allOfNode(places.map((place, at) => placeIs(place, values[at] as Comparable)))
  return (await tables.select(type, { where, now, ...(lock ? { lock } : {}) })).map(({ row }) => row)
}

/** Reads what several records need to be judged, with one statement for all that is found in the same way. */
async function readAll(tables: Tables, now: number, relied: Relied, unread: readonly Unread[]): Promise<void> {
  const groups = new Map<string, Unread[]>()
  for (const one of unread) {
    const name = JSON.stringify([one.type, one.places])
    groups.set(name, [...(groups.get(name) ?? []), one])
  }
  for (const group of groups.values()) {
    const [first] = group
    const place = first?.places.length === 1 ? first.places[0] : undefined
    if (first === undefined || place === undefined || group.length === 1) {
      for (const one of group) relied.keep(one, await read(tables, now, one, relied.lock))
      continue
    }
    const where = placeIsOneOf(place, [...new Set(group.map(({ values }) => values[0] as Comparable))])
    const found = await tables.select(first.type, { where, now, ...(relied.lock ? { lock: relied.lock } : {}) })
    const rows = new Map<Comparable, Row[]>()
    for (const { row } of found) for (const value of new Set(valuesAt(row, place))) rows.set(value, [...(rows.get(value) ?? []), row])
    for (const one of group) relied.keep(one, rows.get(one.values[0] as Comparable) ?? [])
  }
}

/** Judges a condition on several records, as `judgeRelying` does on one. */
export async function judgeAllRelying(
  { tables, env }: { readonly tables: Tables; readonly env: Env },
  relied: Relied,
  test: ReturnType<typeof predicate>,
  records: readonly Row[],
): Promise<boolean[]> {
  const answers = new Map<Row, boolean>()
  for (let open = records; open.length > 0; ) {
    const wanted = new Map<string, Unread>()
    for (const record of open) {
      try {
        answers.set(record, test(record, { ...env, links: relied, context: newContext() }))
      } catch (reason) {
        if (!(reason instanceof Unread)) throw reason
        wanted.set(nameOf(reason), reason)
      }
    }
    await readAll(tables, env.now, relied, [...wanted.values()])
    open = open.filter((record) => !answers.has(record))
  }
  return records.map((record) => answers.get(record) as boolean)
}

/** Runs a function with linked records that are read on request, without locks. */
export async function readingAlong<T>(
  { tables, env }: { readonly tables: Tables; readonly env: Env },
  work: (links: Links) => T,
): Promise<T> {
  const found = relying(new Map())
  for (;;) {
    try {
      return work(found)
    } catch (reason) {
      if (!(reason instanceof Unread)) throw reason
      found.keep(reason, await read(tables, env.now, reason, undefined))
    }
  }
}

/**
 * Judges a condition on a record with the one evaluator. Every linked record that it requests is read and locked in a statement after the
 * one that locked the record itself, so that the judgement still holds at the end.
 */
export async function judgeRelying(
  { tables, env }: { readonly tables: Tables; readonly env: Env },
  relied: Relied,
  test: ReturnType<typeof predicate>,
  record: Row,
  after?: Row,
): Promise<boolean> {
  for (;;) {
    try {
      const at: Env = { ...env, after, links: relied, context: newContext() }
      return test(record, at)
    } catch (reason) {
      if (!(reason instanceof Unread)) throw reason
      relied.keep(reason, await read(tables, env.now, reason, relied.lock))
    }
  }
}
