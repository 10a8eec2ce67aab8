import {
  allOfNode,
  anyOfNode,
  type Comparable,
  type ConditionNode,
  lowerAscii,
  type PlaceNode,
  type Row,
  valuesAt,
  waysAt,
} from '../../condition/index.js'
import { keyOf, type Model, typeModel } from '../../rulebook/index.js'
import { placeIs, placeIsOneOf } from '../../store/read/key-conditions.js'
import type { Pair, Step } from '../../store/read/steps.js'
import type { Tables } from '../../store/tables.js'
import type { ConditionIndex } from './index-of.js'

/** The source for current records. */
export interface Reading {
  readonly tables: Tables
  readonly model: Model
  readonly now: number
}

/** The records of a type whose places equal those of the given records. */
async function matching(
  { tables, now }: Reading,
  type: string,
  pairs: readonly { readonly at: PlaceNode; readonly as: PlaceNode }[],
  rows: readonly Row[],
): Promise<Row[]> {
  const ways = new Map(
    rows
      .flatMap((row) =>
        waysAt(
          row,
          pairs.map(({ as }) => as),
        ),
      )
      .map((way) => [JSON.stringify(way), way]),
  )
  if (ways.size === 0) return []
  const [only] = pairs
  const where: ConditionNode =
    pairs.length === 1 && only !== undefined
      ? placeIsOneOf(
          only.at,
          [...ways.values()].map(([value]) => value as Comparable),
        )
      : anyOfNode([...ways.values()].map((way) => allOfNode(pairs.map(({ at }, index) => placeIs(at, way[index] as Comparable)))))
  return (await tables.select(type, { where, now })).map(({ row }) => row)
}

const ahead = (by: readonly Pair[]) => by.map(({ from, to }) => ({ at: to, as: from }))
const back = (by: readonly Pair[]) => by.map(({ from, to }) => ({ at: from, as: to }))

/** The records that steps lead to. */
export async function follow(reading: Reading, steps: readonly Step[], from: readonly Row[]): Promise<readonly Row[]> {
  let rows = from
  for (const step of steps) {
    if (rows.length === 0) return []
    rows = await matching(reading, step.type, ahead(step.by), rows)
    if (step.kind === 'ancestors') rows = await closure(reading, step, rows, ahead(step.link.by))
  }
  return rows
}

/** The records from which steps lead to the given ones, which may be as they were before. `type` is the type of the first. */
export async function leadingTo(reading: Reading, type: string, steps: readonly Step[], to: readonly Row[]): Promise<readonly Row[]> {
  let rows = to
  for (const [at, step] of [...steps.entries()].reverse()) {
    if (rows.length === 0) return []
    const before = steps[at - 1]?.type ?? type
    // Above the changed records, and above everything below them.
    if (step.kind === 'ancestors') rows = await closure(reading, step, rows, back(step.link.by))
    rows = await matching(reading, before, back(step.by), rows)
  }
  return rows
}

/** All records that a chain leads to, including the starting records. */
async function closure(
  reading: Reading,
  step: Step & { readonly kind: 'ancestors' },
  from: readonly Row[],
  pairs: readonly { readonly at: PlaceNode; readonly as: PlaceNode }[],
): Promise<Row[]> {
  const type = typeModel(reading.model, step.type)
  const met = new Map(from.map((row) => [keyOf(type, row), row]))
  for (let rows = from; rows.length > 0; ) {
    rows = (await matching(reading, step.type, pairs, rows)).filter((row) => !met.has(keyOf(type, row)))
    for (const row of rows) met.set(keyOf(type, row), row)
  }
  return [...met.values()]
}

/** The subscriptions in an index that the current record may affect. */
export async function concerned<T>(reading: Reading, index: ConditionIndex<T>, row: Row): Promise<Set<T>> {
  const found = new Set(index.all)
  for (const { steps, places } of index.entries.values()) {
    const rows = steps.length === 0 ? [row] : await follow(reading, steps, [row])
    for (const { place, folded, by } of places.values())
      for (const linked of rows)
        for (const value of valuesAt(linked, place))
          for (const one of by.get(folded ? lowerAscii(value as string) : value) ?? []) found.add(one)
  }
  return found
}
