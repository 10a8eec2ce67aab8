import { sql } from 'kysely'
import { type ConditionNode, compareNode, type Row, type Scalar, type TermNode } from '../../condition/index.js'
import type { Field, Key, TypeModel } from '../../rulebook/index.js'
import type { Column, ColumnPlace, Dialect, Layout, TablePlace } from '../../sql/index.js'
import { RowError } from '../errors.js'

/** A record type and its table. */
export interface Placed {
  readonly model: TypeModel
  readonly layout: Layout
  readonly place: TablePlace
  /** The table in Kysely's notation. Conditions use its own name, without the schema. */
  readonly table: string
}

export function placed(layout: Layout, model: TypeModel): Placed {
  const place = layout.tables[model.name] as TablePlace
  return { model, layout, place, table: tableOf(place) }
}

export function tableOf({ schema, name }: { readonly schema?: string; readonly name: string }): string {
  return schema === undefined ? name : `${schema}.${name}`
}

export function columnOf({ name: table, columns }: TablePlace, field: string): Column {
  const { name, as } = columns[field] as ColumnPlace
  return { ref: sql.id(table, name), ...(as === undefined ? {} : { as }) }
}

/** A condition that selects the record with that key. */
export function isKey({ key, fields }: TypeModel, value: Key): ConditionNode {
  const type = (fields[key] as Field).type as Scalar
  const own: TermNode = { kind: 'field', of: 'record', path: [key], type }
  return compareNode(own, 'is', { kind: 'literal', type, value })
}

/** A record in the form of its columns. */
export function encodeRow({ codec }: Dialect, { model, place }: Placed, row: Row): Record<string, unknown> {
  const encoded = Object.entries(row).map(([name, value]) => {
    const { name: column, as } = place.columns[name] as ColumnPlace
    return [column, codec.encode(model.fields[name] as Field, value, as)]
  })
  return Object.fromEntries(encoded)
}

/** The record of a selected row. @throws RowError */
export function decodeRow({ codec }: Dialect, model: TypeModel, row: Row): Row {
  const record: Record<string, unknown> = {}
  for (const [name, field] of Object.entries(model.fields)) {
    try {
      const value = codec.decode(field, row[name])
      if (value !== undefined) record[name] = value
    } catch (cause) {
      throw new RowError(model.name, name, cause instanceof Error ? cause.message : String(cause))
    }
  }
  return record
}
