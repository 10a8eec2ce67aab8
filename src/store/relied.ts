import {
  allOfNode,
  type Comparable,
  type Env,
  type Links,
  newCourse,
  type PlaceNode,
  type predicate,
  type Row,
} from '../condition/index.js'
import { placeIs } from './known.js'
import type { Tables } from './tables.js'

/** The linked records that the rules of a write were judged by. They are locked, and stay as they are until it ends. */
export interface Relied extends Links {
  /** Keeps what was read of some that were asked for. */
  keep(unread: Unread, rows: readonly Row[]): void
}

/** Thrown where a condition asks for records that were not read yet. */
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

/** An empty collection of records to rely on. */
export function reliedOn(): Relied {
  const known = new Map<string, readonly Row[]>()
  const nameOf = ({ type, places, values }: Unread) => JSON.stringify([type, places, values])
  return {
    find(type, places, values) {
      const wanted = new Unread(type, places, values)
      const rows = known.get(nameOf(wanted))
      if (rows === undefined) throw wanted
      return rows
    },
    keep(unread, rows) {
      known.set(nameOf(unread), rows)
    },
  }
}

async function readAndLock(tables: Tables, now: number, { type, places, values }: Unread): Promise<Row[]> {
  const where = allOfNode(places.map((place, at) => placeIs(place, values[at] as Comparable)))
  return (await tables.select(type, { where, now, lock: 'share' })).map(({ row }) => row)
}

/**
 * Judges a condition on a record at hand by the one evaluator. Whatever linked record it asks for is read and locked, in a
 * later statement than the one that locked the record itself, so that what was judged is what holds at the end.
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
      const at: Env = { ...env, after, links: relied, course: newCourse() }
      return test(record, at)
    } catch (reason) {
      if (!(reason instanceof Unread)) throw reason
      relied.keep(reason, await readAndLock(tables, env.now, reason))
    }
  }
}
