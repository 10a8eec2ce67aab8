import { type Kysely, sql } from 'kysely'
import { PachterError } from '../condition/index.js'
import { type Field, keysAreGiven, type Model, nearest, type TypeModel, UnknownNameError } from '../rulebook/index.js'
import { aloneAs, isAlone } from './alone.js'
import type { Dialect } from './dialect.js'
import type { LayoutOptions } from './layout-options.js'
import type { ColumnPlace, FoundColumn, Layout, TablePlace } from './places.js'
import { snakeCase } from './snake-case.js'

/** If clients may choose keys, the keys of deleted records are in this table: `type` and `key`, both text. */
export const REMOVED_KEYS = 'pachter_removed_key'

/** A table or column of the layout is missing, or cannot hold its field. Correct the layout or the database. */
export class LayoutError extends PachterError {
  readonly at: string

  constructor(at: string, problem: string) {
    super('LAYOUT', `${at}: ${problem}`)
    this.at = at
  }
}

/**
 * Describes where the record types of a rulebook are stored, without reading the database. Without options, tables and columns have the
 * names of record types and fields.
 * @throws LayoutError, UnknownNameError where the options name a record type or field that is none, or two fields share a column.
 * @example
 * const layout = layoutOf(book, { names: 'snake_case', schema: 'garden', tables: { plot: { name: 'parcel' } } })
 * layout.tables.plot.columns.holderId.name // holder_id
 */
export function layoutOf(book: { readonly model: Pick<Model, 'types'> }, options: LayoutOptions = {}): Layout {
  const { names, prefix = '', schema, tables = {} } = options
  const { types } = book.model
  for (const type of Object.keys(tables))
    if (!Object.hasOwn(types, type)) throw new UnknownNameError('record type', type, Object.keys(types), 'tables')
  const named = names === 'snake_case' ? snakeCase : (names ?? ((name: string) => name))
  const places = Object.values(types).map((type) => {
    const { columns = {}, ...own } = tables[type.name] ?? {}
    for (const field of Object.keys(columns))
      if (!Object.hasOwn(type.fields, field)) throw new UnknownNameError('field', field, Object.keys(type.fields), `tables.${type.name}`)
    const placed = Object.keys(type.fields).map((field) => {
      const given = columns[field]
      const alone = aloneAs(type.fields[field] as Field)
      const place: ColumnPlace = {
        name: named(field),
        ...(alone === undefined ? {} : { as: alone }),
        ...(typeof given === 'string' ? { name: given } : given),
      }
      return [field, Object.freeze({ ...place, name: usable(place.name, `${type.name}.${field}`) })] as const
    })
    apart(placed.map(([field, { name }]) => [`${type.name}.${field}`, name]))
    const inSchema = own.schema ?? schema
    const place: TablePlace = {
      ...(inSchema === undefined ? {} : { schema: usable(inSchema, type.name) }),
      name: usable(own.name ?? prefix + named(type.name), type.name),
      columns: Object.freeze(Object.fromEntries(placed)),
    }
    return [type.name, Object.freeze(place)] as const
  })
  apart(places.map(([type, place]) => [type, `${place.schema ?? ''}\0${place.name}`]))
  return Object.freeze({
    tables: Object.freeze(Object.fromEntries(places)),
    removedKeys: Object.freeze({ ...(schema === undefined ? {} : { schema }), name: REMOVED_KEYS }),
  })
}

function usable(name: unknown, at: string): string {
  // Kysely interprets dots and the word "as" in names.
  if (typeof name === 'string' && /^[^\0."`]+$/.test(name) && !/\sas\s/i.test(name) && name.trim() === name) return name
  throw new LayoutError(at, `${JSON.stringify(name)} cannot be the name of a table or column. To name a schema, use "schema".`)
}

function apart(named: readonly (readonly [of: string, name: string])[]): void {
  const seen = new Map<string, string>()
  for (const [of, name] of named) {
    const first = seen.get(name)
    if (first !== undefined) throw new LayoutError(of, `is kept in ${JSON.stringify(name.split('\0').at(-1))}, and so is ${first}`)
    seen.set(name, of)
  }
}

/**
 * Reads from the database where the record types of a rulebook are stored: tables, columns and storage types. Options take precedence.
 * @throws LayoutError where a table or column is not there, or cannot hold the field.
 * @example
 * const layout = await readLayout(db, postgres, book, { names: 'snake_case' })
 */
export async function readLayout(
  db: Kysely<any>,
  dialect: Dialect,
  book: { readonly model: Pick<Model, 'types'> },
  options: LayoutOptions = {},
): Promise<Layout> {
  const layout = layoutOf(book, options)
  const types = Object.values(book.model.types)
  const { rows } = await sql<FoundColumn>`${dialect.catalog.columns()}`.execute(db)
  const tables = types.map((type) => [type.name, readTable(type, layout.tables[type.name] as TablePlace, rows, dialect)] as const)
  const keys = layout.removedKeys
  if (types.some((type) => keysAreGiven(type)) && !rows.some((row) => isTable(row, keys)))
    throw new LayoutError(keys.name, 'this table does not exist. It needs two text columns, type and key, for the keys of deleted records.')
  return Object.freeze({ ...layout, tables: Object.freeze(Object.fromEntries(tables)) })
}

/**
 * Without a schema, only tables that the connection finds by its search path count. The dialect's query lists these with an empty schema.
 */
function isTable(row: FoundColumn, place: { readonly schema?: string; readonly name: string }): boolean {
  return row.table === place.name && (place.schema === undefined ? row.schema === '' : row.schema === place.schema)
}

function readTable(type: TypeModel, place: TablePlace, rows: readonly FoundColumn[], dialect: Dialect): TablePlace {
  const there = rows.filter((row) => isTable(row, place))
  if (there.length === 0) {
    const others = [...new Set(rows.filter(({ schema }) => schema === (place.schema ?? '')).map(({ table }) => table))]
    throw new LayoutError(
      type.name,
      `there is no table ${[place.schema, place.name].filter(Boolean).join('.')}${instead(place.name, others)}`,
    )
  }
  const columns = Object.entries(place.columns).map(([field, given]) => {
    const found = there.find(({ column }) => column === given.name)
    const at = `${type.name}.${field}`
    const others = there.map(({ column }) => column)
    if (found === undefined) throw new LayoutError(at, `${place.name} has no column ${given.name}${instead(given.name, others)}`)
    const as = isAlone(given.as) ? undefined : given.as
    const held = as ?? dialect.catalog.heldAs(found, type.fields[field] as Field)
    if (held !== null) return [field, Object.freeze({ ...given, ...(held === undefined ? {} : { as: held }) })] as const
    throw new LayoutError(
      at,
      `the column ${place.name}.${given.name} is ${found.type}. It cannot hold ${kindOf(type.fields[field] as Field)}`,
    )
  })
  const isView = there.some(({ view }) => Boolean(Number(view ?? 0)))
  return Object.freeze({ ...place, columns: Object.freeze(Object.fromEntries(columns)), ...(isView ? { isView: true as const } : {}) })
}

function kindOf({ type, list, held }: Field): string {
  if (type === 'other' && held !== undefined) return held === 'bytes' ? 'bytes' : 'a bigint'
  return list ? `a list of ${type}` : type
}

/** Further names to suggest. */
function instead(name: string, others: readonly string[]): string {
  const near = nearest(name, others)
  if (near !== undefined) return `. Did you mean "${near}"? Say so in "tables" or "names".`
  return others.length === 0 ? '' : `. There are ${others.slice(0, 12).join(', ')}`
}
