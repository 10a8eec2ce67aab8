import { sql } from 'kysely'
import { type ConditionNode, compareNode, type Scalar, type TermNode } from '../../condition/index.js'
import type { Field, Key, TypeModel } from '../../rulebook/index.js'
import type { Column, ColumnPlace, Layout, TablePlace } from '../../sql/index.js'

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
