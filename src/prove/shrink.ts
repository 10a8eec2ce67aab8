import { jsonText, type Row } from '../condition/index.js'
import type { Example } from './example.js'
import { replaced } from './fit.js'
import { BLANK, IMPROPER } from './individuals.js'

/** An example with as little as possible that still fits: without records that it does not need, and with short lists. */
export function shrunk(example: Example, fits: (example: Example) => boolean): Example {
  let small = example
  for (let found = true; found; ) {
    found = false
    for (const smaller of simpler(small)) {
      if (!isFitting(smaller, fits)) continue
      small = smaller
      found = true
      break
    }
  }
  return small
}

function isFitting(example: Example, fits: (example: Example) => boolean): boolean {
  try {
    return fits(example)
  } catch {
    // Claims or records that do not fit their shape.
    return false
  }
}

function* simpler(example: Example): Generator<Example> {
  if (jsonText(example.records).includes(jsonText(IMPROPER))) yield replaced(example, IMPROPER, 'text')
  for (const [type, rows] of Object.entries(example.records))
    for (const row of rows)
      if (row !== example.record && row !== example.target)
        yield { ...example, records: { ...example.records, [type]: rows.filter((one) => one !== row) } }
  for (const [type, rows] of Object.entries(example.records))
    for (const row of rows)
      for (const smaller of simplerRows(row)) {
        const records = { ...example.records, [type]: rows.map((one) => (one === row ? smaller : one)) }
        yield {
          ...example,
          records,
          ...(row === example.record ? { record: smaller } : {}),
          ...(row === example.target ? { target: smaller } : {}),
        }
      }
  yield* simplerWrites(example)
  if (example.me === null) return
  yield { ...example, me: null }
  for (const me of simplerRows(example.me)) yield { ...example, me }
}

function* simplerWrites(example: Example): Generator<Example> {
  const { record, becomes, target, targetBecomes } = example
  for (const smaller of simplerChanges(record, becomes)) yield { ...example, becomes: smaller }
  for (const smaller of simplerChanges(target, targetBecomes)) yield { ...example, targetBecomes: smaller }
}

/** With a field less that changes, or a shorter list. */
function* simplerChanges(before: Row | undefined, after: Row | undefined): Generator<Row> {
  if (before === undefined || after === undefined) return
  for (const [name, value] of Object.entries(after)) {
    const old = before[name]
    if (jsonText([value]) === jsonText([old])) continue
    yield { ...after, [name]: old }
    if (Array.isArray(value)) for (const at of value.keys()) yield { ...after, [name]: value.filter((_one, place) => place !== at) }
  }
}

/** With one element less in a list, or without a blank text. */
function* simplerRows(row: Row): Generator<Row> {
  for (const [name, value] of Object.entries(row)) {
    if (Array.isArray(value)) for (const at of value.keys()) yield { ...row, [name]: value.filter((_one, place) => place !== at) }
    if (value === BLANK) yield { ...row, [name]: null }
  }
}
