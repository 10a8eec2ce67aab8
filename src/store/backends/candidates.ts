import { type ConditionNode, type Links, type Row, waysAt } from '../../condition/index.js'
import type { Model } from '../../rulebook/index.js'
import { type Anchor, coverOf } from '../read/anchors.js'

/** More values than this are not looked up one by one. */
const MOST = 200

/**
 * The records of a type on which a condition may hold: those with one of the values that it needs, in themselves or in linked records.
 * Undefined if there are no such values, so that all records have to be looked at.
 */
export function candidates(where: ConditionNode, type: string, model: Model, links: Links): Iterable<Row> | undefined {
  const cover = coverOf(where, type, model)
  if (cover === undefined || cover.length > MOST) return undefined
  const found = new Set<Row>()
  for (const anchor of cover) {
    const rows = leadingTo(anchor, type, links)
    if (rows === undefined) return undefined
    for (const row of rows) found.add(row)
  }
  return found
}

/** The records that have the value, or from which the steps lead to one that has it. */
function leadingTo({ steps, place, value, folded }: Anchor, type: string, links: Links): readonly Row[] | undefined {
  if (folded || steps.some(({ kind }) => kind === 'ancestors')) return undefined
  let rows = links.find(steps.at(-1)?.type ?? type, [place], [value])
  for (const [at, { by }] of [...steps.entries()].reverse()) {
    const [from, to] = [by.map((pair) => pair.from), by.map((pair) => pair.to)]
    rows = rows.flatMap((row) => waysAt(row, to).flatMap((way) => links.find(steps[at - 1]?.type ?? type, from, way)))
  }
  return rows
}
