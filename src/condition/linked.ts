import type { Links, Row } from './context.js'
import type { PlaceNode } from './nodes.js'
import { lowerAscii } from './text.js'
import { type Comparable, inside, toComparable, toComparables } from './value.js'

/** Returns the records of a type; undefined if they were not given. */
export type RecordSource = (type: string) => Iterable<Row> | undefined

type Index = ReadonlyMap<Comparable, readonly Row[]>

const NONE: readonly Row[] = /* @__PURE__ */ Object.freeze([])

/**
 * Finds linked records through indexes, each built when it is first needed. The records must not change: create another for a new state.
 * `missing` decides what happens with a type that was not given.
 */
export function linkedRecords(source: RecordSource, missing: (type: string) => never): Links {
  const indexes = new Map<string, Index>()
  return Object.freeze({
    find(type: string, places: readonly PlaceNode[], values: readonly Comparable[]) {
      const name = [
        type,
        ...places.map(
          ({ path, type: of, list, ignoringCase }) =>
            `${path.join('.')} ${of}${list ? ' list' : ''}${ignoringCase ? ' ignoring case' : ''}`,
        ),
      ].join('\n')
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

/** The distinct values of a record at these places, as index keys. There is usually one value, so no list is allocated for it. */
export function keysAt(row: Row, places: readonly PlaceNode[]): Iterable<Comparable> {
  const [only] = places
  if (only === undefined || places.length > 1) return new Set(waysAt(row, places).map(together))
  const values = valuesAt(row, only)
  return values.length < 2 ? values : new Set(values)
}

/** The values at a place of a record: at most one, unless the place is a list. In small letters, if its link ignores case. */
export function valuesAt(row: Row, place: PlaceNode): readonly Comparable[] {
  const values = exactValuesAt(row, place)
  return place.ignoringCase ? values.map(inSmallLetters) : values
}

function exactValuesAt(row: Row, { path, type, list }: PlaceNode): readonly Comparable[] {
  const value = inside(row, path)
  if (list) return toComparables(value, type) ?? []
  const one = toComparable(value, type)
  return one === undefined ? [] : [one]
}

/** A text as links that ignore case compare it. */
export function inSmallLetters(value: Comparable): Comparable {
  return lowerAscii(value as string)
}

/** The combinations of values at several places: several if a place is a list, none if a value is missing. */
export function waysAt(row: Row, places: readonly PlaceNode[]): Comparable[][] {
  return combined(places.map((place) => valuesAt(row, place)))
}

/** The same for a page: the rules that it is given have no links that ignore case. */
export function exactWaysAt(row: Row, places: readonly PlaceNode[]): Comparable[][] {
  return combined(places.map((place) => exactValuesAt(row, place)))
}

function combined(values: readonly (readonly Comparable[])[]): Comparable[][] {
  return values.reduce<Comparable[][]>((ways, some) => ways.flatMap((way) => some.map((next) => [...way, next])), [[]])
}

// A text and a number never get the same key. -0 and 0 do.
function together(values: readonly Comparable[]): Comparable {
  return values.length === 1 ? (values[0] as Comparable) : JSON.stringify(values)
}
