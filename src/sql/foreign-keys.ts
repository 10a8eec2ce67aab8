import { type Kysely, sql } from 'kysely'
import type { PlaceNode } from '../condition/index.js'
import type { LinkModel, Model, TypeModel } from '../rulebook/index.js'
import type { Dialect } from './dialect.js'
import { layoutOf } from './layout.js'
import type { FoundForeignKey, Layout } from './places.js'

/** A link that differs from the foreign keys of the database. */
export interface LinkDifference {
  /** The record type and the link, as in `lesson.teacher`. */
  readonly link: string
  /** What the foreign keys say, in a sentence. */
  readonly message: string
}

/** A column, as this module compares them: in lower case, because some databases ignore the case of names. */
type ColumnId = string

/**
 * Compares the links of a rulebook with the foreign keys of a database: a link to the wrong type or over the wrong field finds no records,
 * or those of another person. A link differs if its column is a foreign key to another column; or if its column is none, while one that no
 * link uses and that has the name of the link or of its type is a foreign key to the same column. Keys that take their values from one
 * another count as the same.
 * @example
 * for (const { link, message } of await linkDifferences(db, postgres, book)) console.log(`${link}: ${message}`)
 */
export async function linkDifferences(
  db: Kysely<any>,
  dialect: Dialect,
  book: { readonly model: Pick<Model, 'types'> },
  layout: Layout = layoutOf(book),
): Promise<readonly LinkDifference[]> {
  const { rows } = await sql<FoundForeignKey>`${dialect.catalog.foreignKeys()}`.execute(db)
  const found = rows.map(readForeignKey)
  const joins = Object.values(book.model.types).flatMap((type) => joinsOf(type, book.model.types, layout))
  const used = new Set(joins.flatMap(({ holder, held }) => [holder.id, held.id]))
  return joins.flatMap((join) => {
    const message = differenceOf(join, found, used)
    return message === undefined ? [] : [Object.freeze({ link: join.link, message })]
  })
}

interface Column {
  readonly id: ColumnId
  /** As people write it: `lesson.teacherId`. */
  readonly text: string
}

/** A link as two columns: the holder's refers to the other, which is usually a key. */
interface Join {
  readonly link: string
  readonly holder: Column
  readonly held: Column
  /** What the column of the holder could be called. */
  readonly names: readonly string[]
}

interface ForeignKey {
  readonly from: ColumnId
  readonly to: ColumnId
  /** The columns as people write them, without the schema. */
  readonly fromText: string
  readonly toText: string
}

function readForeignKey({ schema, table, column, toSchema, toTable, toColumn }: FoundForeignKey): ForeignKey {
  return {
    from: columnId(schema, table, column),
    to: columnId(toSchema, toTable, toColumn),
    fromText: `${table}.${column}`,
    toText: `${toTable}.${toColumn}`,
  }
}

function columnId(schema: string | undefined, table: string, column: string): ColumnId {
  return JSON.stringify([schema ?? '', table, column]).toLowerCase()
}

/** The links of a type as pairs of columns. Lists and parts of objects have no foreign keys. */
function joinsOf(type: TypeModel, types: Model['types'], layout: Layout): readonly Join[] {
  return Object.values(type.links).flatMap((link: LinkModel) =>
    link.by.flatMap(({ from, to }): Join[] => {
      const [mine, theirs] = [columnOf(layout, type.name, from), columnOf(layout, link.to, to)]
      if (mine === undefined || theirs === undefined) return []
      // The side that is no key refers to the other.
      const refers = types[link.to]?.keys.includes(to.path[0] as string) || !type.keys.includes(from.path[0] as string)
      const [holder, held] = refers ? [mine, theirs] : [theirs, mine]
      return [{ link: `${type.name}.${link.name}`, holder, held, names: [link.name, refers ? link.to : type.name] }]
    }),
  )
}

function columnOf(layout: Layout, type: string, { path, list }: PlaceNode): Column | undefined {
  const place = layout.tables[type]
  const column = place?.columns[path[0] ?? '']?.name
  if (place === undefined || column === undefined || path.length !== 1 || list === true) return undefined
  return { id: columnId(place.schema, place.name, column), text: `${place.name}.${column}` }
}

function differenceOf({ holder, held, names }: Join, all: readonly ForeignKey[], used: ReadonlySet<ColumnId>): string | undefined {
  const own = all.filter(({ from }) => from === holder.id)
  const same = sharing(held.id, all)
  if (own.length > 0) {
    if ([...sharing(holder.id, all)].some((id) => same.has(id))) return undefined
    const targets = [...new Set(own.map(({ toText }) => toText))].join(' and ')
    return `the link leads to ${held.text}, but ${holder.text} is a foreign key to ${targets}`
  }
  const isNamed = (column: string) => names.some((name) => plain(column).includes(plain(name)))
  const table = tableOf(holder.id)
  // The other way round, if both sides are keys.
  if (same.has(holder.id) || isNamed(columnName(holder.id))) return undefined
  const better = all.filter(({ from, to }) => tableOf(from) === table && same.has(to) && isNamed(columnName(from)) && !used.has(from))
  if (better.length === 0) return undefined
  const others = [...new Set(better.map(({ fromText }) => fromText))].join(' and ')
  return `the link uses ${holder.text}, which is not a foreign key. The foreign key to ${better[0]?.toText} is ${others}`
}

/** A column and those whose values it takes, through foreign keys. */
function sharing(id: ColumnId, all: readonly ForeignKey[]): ReadonlySet<ColumnId> {
  const found = new Set([id])
  for (const one of found) for (const { from, to } of all) if (from === one) found.add(to)
  return found
}

function columnName(id: ColumnId): string {
  return (JSON.parse(id) as readonly string[])[2] ?? ''
}

/** A name without case and underscores. */
function plain(name: string): string {
  return name.toLowerCase().replaceAll('_', '')
}

function tableOf(id: ColumnId): string {
  const [schema, table] = JSON.parse(id) as readonly string[]
  return JSON.stringify([schema, table])
}
