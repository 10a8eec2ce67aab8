// The record types for the tables of a database: fields, keys and links, with names that are not taken twice.
import type { ColumnDescription, ForeignKeyDescription, TableDescription } from './description.js'
import { camelCase, free, linkName, plural, typeName } from './names.js'

/** A field for a column. */
export interface DraftField {
  readonly name: string
  readonly column: ColumnDescription
  /** A default that can be written in a shape. */
  readonly literal?: string | number | boolean
  /** The database sets it. */
  readonly generated: boolean
}

/** A link, from the record type that holds the foreign key or to it. */
export interface DraftLink {
  readonly name: string
  readonly to: string
  readonly many: boolean
  /** The fields that have to be equal: of the other record and of this one. */
  readonly by: readonly (readonly [theirs: string, mine: string])[]
  /** The fields of the foreign key refer to the whole key of the other record. */
  readonly isByKey: boolean
  readonly onDelete?: 'delete' | 'unlink'
}

/** A record type for a table. */
export interface DraftType {
  readonly name: string
  readonly table: TableDescription
  readonly fields: readonly DraftField[]
  readonly key: readonly string[]
  readonly links: readonly DraftLink[]
}

/** What was not understood, most important first when shown. */
export interface Question {
  /** The higher, the earlier it is asked. */
  readonly weight: number
  readonly about: string
  readonly text: string
}

/** The record types of a database, and what is left to ask. */
export interface Draft {
  readonly types: readonly DraftType[]
  readonly questions: readonly Question[]
}

// Names that every record has in rules.
const RESERVED = ['field', 'ancestors', 'isMissing', 'isPresent', 'standing', 'constructor', 'toString', 'valueOf', 'hasOwnProperty']

/** Drafts record types for tables. */
export function draftOf(tables: readonly TableDescription[]): Draft {
  const questions: Question[] = []
  const usable = tables.filter((table) => isUsable(table, questions))
  const names = new Set<string>(RESERVED)
  const types = usable.map((table): DraftType => {
    const name = free([typeName(table.name), camelCase(`${table.schema ?? 'own'}_${typeName(table.name)}`)], names)
    const fields = fieldsOf(table, name, questions)
    const fieldOf = (column: string) => fields.find((one) => one.column.name === column)?.name as string
    return { name, table, fields, key: keyOf(table).map(fieldOf), links: [] }
  })
  const implied = types.flatMap((type) => impliedBy(type, types))
  for (const { type, foreign, to } of implied)
    questions.push({
      weight: 25,
      about: `${type}.${camelCase(foreign.columns[0] as string)}`,
      text: `leads to ${to} by its name. No foreign key says so: is that right?`,
    })
  return { types: withLinks(types, implied), questions }
}

/** A foreign key that only the name of a column tells of. */
interface ImpliedKey {
  readonly type: string
  readonly to: string
  readonly foreign: ForeignKeyDescription
}

/** Columns without a foreign key that are called like the id of another record type. */
function impliedBy({ name: type, table, fields }: DraftType, types: readonly DraftType[]): ImpliedKey[] {
  const isForeign = (column: string) => table.foreignKeys.some(({ columns }) => columns.includes(column))
  return fields.flatMap(({ name, column }): ImpliedKey[] => {
    const to = /Id$/.test(name) ? types.find((one) => one.name === name.slice(0, -2)) : undefined
    const key = to?.fields.find((one) => one.name === to.key[0])?.column
    if (to === undefined || key === undefined || to.key.length > 1 || isForeign(column.name) || column.list || column.kind !== key.kind)
      return []
    return [{ type, to: to.name, foreign: { columns: [column.name], to: to.table.id, toColumns: [key.name], onDelete: 'refuse' } }]
  })
}

function isUsable(table: TableDescription, questions: Question[]): boolean {
  if (table.isView) {
    questions.push({
      weight: 20,
      about: table.name,
      text: 'is a view. It was left out: add it as a record type with a key if people read it.',
    })
    return false
  }
  if (!isPlaceable(table.name) || !isPlaceable(table.schema ?? 'own')) {
    questions.push({
      weight: 40,
      about: table.name,
      text: 'has a name with a dot, a quote or a space at its end, which a layout cannot say. It was left out.',
    })
    return false
  }
  const key = keyOf(table)
  const parts = key.map((name) => table.columns.find((one) => one.name === name))
  const isWhole = key.length > 0 && parts.every((part) => isKept(part) && canBeKey(part, key.length > 1))
  if (key.length > 0 && !isWhole) {
    questions.push({
      weight: 60,
      about: table.name,
      text: `has the key ${key.join(', ')}, and keys are texts or whole numbers, or days in a key of several columns. It was left out.`,
    })
    return false
  }
  if (!isWhole)
    questions.push({
      weight: 60,
      about: table.name,
      text: 'has no primary key and no unique columns that are never null, so it was left out. Which columns identify a row?',
    })
  return isWhole
}

/** The primary key, or else a unique index of columns that are never null. */
function keyOf({ key, uniques, columns }: TableDescription): readonly string[] {
  if (key.length > 0) return key
  const isNever = (name: string) => columns.find((one) => one.name === name)?.nullable === false
  return [...uniques].sort((a, b) => a.length - b.length).find((names) => names.every(isNever)) ?? []
}

function isKept(column: ColumnDescription | undefined): boolean {
  return column !== undefined && column.kind !== 'unknown' && isPlaceable(column.name)
}

function canBeKey(column: ColumnDescription | undefined, isPart: boolean): boolean {
  return column?.list !== true && ['text', 'integer', ...(isPart ? ['day'] : [])].includes(column?.kind ?? '')
}

/** Whether a layout can say the name of a table or column. */
function isPlaceable(name: string): boolean {
  return /^[^\0."`]+$/.test(name) && !/\sas\s/i.test(name) && name.trim() === name
}

function fieldsOf(table: TableDescription, type: string, questions: Question[]): DraftField[] {
  const taken = new Set<string>(RESERVED)
  return table.columns.flatMap((column): DraftField[] => {
    if (!isKept(column)) {
      const set = column.nullable || column.defaultsTo !== undefined ? '' : ' It may not be null, so nobody can create such a record.'
      questions.push({
        weight: 10,
        about: `${table.name}.${column.name}`,
        text: `${isPlaceable(column.name) ? `is ${column.written}, which records do not hold` : 'has a name with a dot or a quote, which a layout cannot say'}. It was left out.${set}`,
      })
      return []
    }
    const literal = literalOf(column)
    // A default that only the database can work out, such as the time of the insert.
    const isWorkedOut = column.defaultsTo !== undefined && literal === undefined && !isKeyByUuid(table, column)
    if (column.defaultsTo !== undefined && isWorkedOut && !/now|current|time|date/i.test(column.defaultsTo))
      questions.push({
        weight: 5,
        about: `${type}.${fieldName(column)}`,
        text: `has the default ${column.defaultsTo}. It is under "generated", so only clauses with .overriding let people send it. Is that right?`,
      })
    return [
      {
        name: free([fieldName(column), `${fieldName(column)}Field`], taken),
        column,
        ...(literal === undefined ? {} : { literal }),
        generated: column.generated === true || isWorkedOut,
      },
    ]
  })
}

const fieldName = ({ field, name }: ColumnDescription) => field ?? camelCase(name)

// Pachter makes up keys that are text by itself.
function isKeyByUuid({ key }: TableDescription, { name, kind }: ColumnDescription): boolean {
  return kind === 'text' && key.length === 1 && key[0] === name
}

function literalOf({ defaultsTo, kind, labels, list }: ColumnDescription): string | number | boolean | undefined {
  if (defaultsTo === undefined || list) return undefined
  const bare = defaultsTo.replace(/::[\w ."]+(\(\d+(,\d+)?\))?(\[\])?$/, '').replace(/^\((.*)\)$/, '$1')
  const quoted = /^'((?:[^']|'')*)'$/.exec(bare)?.[1]?.replaceAll("''", "'")
  if (kind === 'boolean') return /^(true|1|b?'1')$/i.test(bare) ? true : /^(false|0|b?'0')$/i.test(bare) ? false : undefined
  if (kind === 'integer' || kind === 'number') {
    const number = Number(quoted ?? bare)
    return Number.isFinite(number) && (quoted ?? bare).trim() !== '' ? number : undefined
  }
  if (kind !== 'text' || quoted === undefined) return undefined
  return labels === undefined || labels.includes(quoted) ? quoted : undefined
}

function withLinks(types: readonly DraftType[], implied: readonly ImpliedKey[]): DraftType[] {
  const links = new Map<string, DraftLink[]>(types.map(({ name }) => [name, []]))
  const taken = new Map(types.map(({ name, fields }) => [name, new Set([...RESERVED, ...fields.map((one) => one.name)])]))
  for (const type of types)
    for (const foreign of distinct([
      ...type.table.foreignKeys,
      ...implied.filter((one) => one.type === type.name).map((one) => one.foreign),
    ])) {
      const to = types.find(({ table }) => table.id === foreign.to)
      const pairs = to && pairsOf(type, to, foreign)
      if (to !== undefined && pairs !== undefined) link(type, to, foreign, pairs)
    }
  return types.map((type) => ({ ...type, links: links.get(type.name) ?? [] }))

  function link(
    type: DraftType,
    to: DraftType,
    foreign: ForeignKeyDescription,
    pairs: readonly (readonly [theirs: string, mine: string])[],
  ): void {
    const isByKey = pairs.length === to.key.length && to.key.every((key) => pairs.some(([theirs]) => theirs === key))
    const mine = taken.get(type.name) as Set<string>
    // Of a key of several columns, the one that is not shared by all names the link best.
    const [named = ''] = [...foreign.columns].sort((a, b) => Number(isShared(types, a)) - Number(isShared(types, b)))
    const bare = linkName(named)
    const name = free(
      foreign.columns.length > 1 && bare === camelCase(named)
        ? [to.name, `${to.name}Of`]
        : [bare, `${bare}${capital(to.name)}`, `${to.name}Of`],
      mine,
    )
    const onDelete = isByKey && foreign.onDelete !== 'refuse' ? { onDelete: foreign.onDelete } : {}
    links.get(type.name)?.push({ name, to: to.name, many: false, by: pairs, isByKey, ...onDelete })
    const others = type.table.foreignKeys.filter((one) => one.to === foreign.to).length > 1
    const many = plural(type.name)
    const back = free(
      [others ? `${many}As${capital(name)}` : many, `${many}As${capital(name)}`, `${many}Of`],
      taken.get(to.name) as Set<string>,
    )
    links.get(to.name)?.push({ name: back, to: type.name, many: true, by: pairs.map(([theirs, own]) => [own, theirs] as const), isByKey })
  }
}

function pairsOf(
  type: DraftType,
  to: DraftType,
  { columns, toColumns }: ForeignKeyDescription,
): (readonly [theirs: string, mine: string])[] | undefined {
  const pairs = columns.flatMap((column, at) => {
    const mine = type.fields.find((one) => one.column.name === column)?.name
    const theirs = to.fields.find((one) => one.column.name === toColumns[at])?.name
    return mine === undefined || theirs === undefined ? [] : [[theirs, mine] as const]
  })
  return pairs.length === columns.length ? pairs : undefined
}

/** Foreign keys by different columns: the same may be declared twice. */
function distinct(foreignKeys: readonly ForeignKeyDescription[]): readonly ForeignKeyDescription[] {
  const idOf = ({ columns, to, toColumns }: ForeignKeyDescription) => `${to} ${columns} ${toColumns}`
  return foreignKeys.filter((one, at) => foreignKeys.findIndex((other) => idOf(other) === idOf(one)) === at)
}

/** Whether most tables have the column, as they have that of a tenant. */
function isShared(types: readonly DraftType[], column: string): boolean {
  return types.filter(({ table }) => table.columns.some(({ name }) => name === column)).length > types.length / 2
}

function capital(name: string): string {
  return (name[0] ?? '').toUpperCase() + name.slice(1)
}
