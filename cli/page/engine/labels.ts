// Labels of records, besides their keys.
import type { Row } from 'pachter/internal/condition'
import { isKeyField, type TypeModel } from 'pachter/internal/rulebook'

/** The field that distinguishes records best: the first whose text differs in most of them. */
export function labelField(rows: readonly Row[], type: TypeModel): string | undefined {
  const sample = rows.slice(0, 200)
  const names = [...new Set(sample.flatMap((row) => Object.keys(row)))].filter(
    (name) => !isKeyField(type, name) && !/Id$|Ids$|At$/.test(name),
  )
  const kinds = (name: string) =>
    new Set(sample.map((row) => row[name]).filter((value) => typeof value === 'string' || typeof value === 'number')).size
  return names.find((name) => sample.length > 0 && kinds(name) > sample.length * 0.6)
}

/** The label of each record; empty if its key is enough. */
export function labelsOf(rows: readonly Row[], field: string | undefined): string[] {
  return rows.map((row) => labelOf(row, field))
}

export function labelOf(row: Row, field: string | undefined): string {
  return field === undefined || row[field] === undefined ? '' : String(row[field])
}
