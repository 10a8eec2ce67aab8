import { type AliasedExpression, type RawBuilder, sql } from 'kysely'
import {
  allOfNode,
  type Comparable,
  type ConditionNode,
  compareNode,
  instantText,
  type LiteralNode,
  type Row,
  type Scalar,
  toComparable,
} from '../../condition/index.js'
import { type Field, type Key, keyRow, type Model, RulebookError, type TypeModel } from '../../rulebook/index.js'
import type { Column, ColumnPlace, Dialect, Fragment, Layout, TablePlace } from '../../sql/index.js'
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

/** A key, and the condition that selects its record. The condition contains these literals, one for each field of the key. */
export interface KeyTest {
  readonly literals: readonly LiteralNode[]
  readonly is: ConditionNode
}

export function keyTest({ keys, fields }: TypeModel, key: Key): KeyTest {
  const row = keyRow({ keys, fields }, key)
  const literals = keys.map((name): LiteralNode => {
    const type = (fields[name] as Field).type as Scalar
    const value = row[name] as Comparable
    return { kind: 'literal', type, value: type === 'time' ? instantText(toComparable(value, 'time') as number) : value }
  })
  const tests = keys.map((name, at) => {
    const literal = literals[at] as LiteralNode
    return compareNode({ kind: 'field', of: 'record', path: [name], type: literal.type as Scalar }, 'is', literal)
  })
  return { literals, is: allOfNode(tests) }
}

// Kysely interprets dots and the word "as" in names.
const COLUMN = /^[A-Za-z_$][\w$]*$/

/** Every field must be a name that a column can have. @throws RulebookError */
export function checkColumnNames(model: Model): void {
  for (const type of Object.values(model.types)) {
    const odd = Object.keys(type.fields).find((name) => !COLUMN.test(name))
    if (odd !== undefined) throw new RulebookError(`${type.name}.${odd}`, 'cannot name a column: use letters, digits, _ and $')
  }
}

/** The columns of each table, which are the same in every query. */
const written = new WeakMap<TablePlace, readonly AliasedExpression<unknown, string>[]>()

/** The columns of a record, in the form that `decodeRow` reads. */
export function columnsOf(dialect: Dialect, place: Placed): readonly AliasedExpression<unknown, string>[] {
  const there = written.get(place.place)
  if (there !== undefined) return there
  const columns = Object.entries(place.model.fields).map(([name, field]) =>
    selected(dialect, selectable(dialect, place, name), field).as(name),
  )
  written.set(place.place, columns)
  return columns
}

/** A value in the form that `decode` reads. */
export function selected({ codec }: Dialect, value: Fragment, field: Field): RawBuilder<unknown> {
  return sql`${codec.selected?.(value, field) ?? value}`
}

/** The value of a column; JSON columns are selected as they are. */
export function selectable({ expressions }: Dialect, { model, place }: Placed, name: string): Fragment {
  const column = columnOf(place, name)
  const { type, list } = model.fields[name] as Field
  if (list) return expressions.column(column, [], 'list')
  return type === 'other' || type === 'group' ? column.ref : expressions.column(column, [], type)
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
