import type { Links, Row } from './context.js'
import type { PlaceNode } from './nodes.js'
import { type Comparable, inside, toComparable, toComparables } from './value.js'

/** Where the records of a type are to be had; undefined for a type that was not given. */
export type RecordSource = (type: string) => Iterable<Row> | undefined

type Index = ReadonlyMap<Comparable, readonly Row[]>

const NONE: readonly Row[] = Object.freeze([])

/**
 * Finds linked records through indexes, each made when it is first needed. The records are taken to stay as they are: make
 * another for another state of them. `missing` says what to do about a type that was not given.
 */
export function linkedRecords(source: RecordSource, missing: (type: string) => never): Links {
  const indexes = new Map<string, Index>()
  return Object.freeze({
    find(type: string, places: readonly PlaceNode[], values: readonly Comparable[]) {
      const name = [type, ...places.map(({ path, type: of, list }) => `${path.join('.')} ${of}${list ? ' list' : ''}`)].join('\n')
      let index = indexes.get(name)
      if (index === undefined) {
        index = indexed(source(type) ?? missing(type), places)
        indexes.set(name, index)
      }
      return index.get(together(values)) ?? NONE
    },
  })
}

function indexed(rows: Iterable<Row>, places: readonly PlaceNode[]): Index {
  const index = new Map<Comparable, Row[]>()
  for (const row of rows) {
    for (const key of keysAt(row, places)) {
      const there = index.get(key)
      if (there === undefined) index.set(key, [row])
      else there.push(row)
    }
  }
  return index
}

/** The distinct values of a record at these places, as keys of an index. Usually there is one value: no list is allocated for it. */
export function keysAt(row: Row, places: readonly PlaceNode[]): Iterable<Comparable> {
  const [only] = places
  if (only === undefined || places.length > 1) return new Set(waysAt(row, places).map(together))
  const values = valuesAt(row, only)
  return values.length < 2 ? values : new Set(values)
}

/** The values at a place of a record: one at most, but where a list is there. */
export function valuesAt(row: Row, { path, type, list }: PlaceNode): readonly Comparable[] {
  const value = inside(row, path)
  if (list) return toComparables(value, type) ?? []
  const one = toComparable(value, type)
  return one === undefined ? [] : [one]
}

/** The values at several places of a record, one of each: more than one way where a place is a list, none where one is missing. */
export function waysAt(row: Row, places: readonly PlaceNode[]): Comparable[][] {
  let ways: Comparable[][] = [[]]
  for (const place of places) {
    const values = valuesAt(row, place)
    ways = ways.flatMap((way) => values.map((next) => [...way, next]))
  }
  return ways
}

// A text and a number never share a form; -0 and 0 do, in both.
function together(values: readonly Comparable[]): Comparable {
  return values.length === 1 ? (values[0] as Comparable) : JSON.stringify(values)
}
