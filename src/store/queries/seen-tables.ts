import { type AliasedExpression, type RawBuilder, sql } from 'kysely'
import { allOfNode, type Comparable, type ConditionNode, FALSE, simplify, TRUE } from '../../condition/index.js'
import { type Field, keyPlaces, typeModel } from '../../rulebook/index.js'
import { type CallValues, comparableOf, compile, type Dialect, Known, type Layout, type TablePlace } from '../../sql/index.js'
import { visibility } from '../../viewpoint/index.js'
import type { Asker } from '../asker-types.js'
import type { Broad } from '../backends/breadth.js'
import { tableOf } from '../backends/tables-placed.js'
import { nameOf, type PlainNode } from './plain-nodes.js'
import { OwnQueryError } from './refused.js'
import type { SeenColumn } from './sources.js'

/** A table as a person sees it: the rows that they may read, and of the columns what they may see in each row. */
export interface SeenTable {
  readonly type: string
  /** The name of the table, without its schema. */
  readonly name: string
  readonly qualified: string
  /** Which rows. */
  readonly rows: ConditionNode
  readonly columns: ReadonlyMap<string, SeenColumn>
  /** As a subquery with the columns that are used. `tests` are conditions on its columns; with `apart`, the database must find the visible rows before it does anything else. */
  written(used: ReadonlySet<string>, tests: readonly PlainNode[], apart: boolean): RawBuilder<unknown>
}

/** Of record types: which alternatives of their condition find many rows. */
export type BroadByType = ReadonlyMap<string, Broad>

/** The name of the table within the subquery, which no condition of a rule uses. */
const ROW = 'seen'

/** The tables of the record types, as one person sees them at one moment. */
export class SeenTables {
  readonly #asker: Asker
  readonly #layout: Layout
  readonly #dialect: Dialect
  readonly #broad: BroadByType
  readonly #seen = new Map<string, SeenTable>()
  /** Whether a rule that became SQL depends on the time. */
  usesTime = false

  constructor(asker: Asker, layout: Layout, dialect: Dialect, broad: BroadByType) {
    this.#asker = asker
    this.#broad = broad
    this.#layout = layout
    this.#dialect = dialect
  }

  /** The table with a name. @throws OwnQueryError */
  find(name: string): SeenTable {
    const places = Object.entries(this.#layout.tables)
    const named = places.filter(([, place]) => tableOf(place) === name)
    const [found, ...others] = named.length > 0 ? named : places.filter(([, place]) => place.name === name)
    if (found === undefined)
      throw new OwnQueryError(
        `there are no rules for a table "${name}". There are for ${places.map(([, place]) => tableOf(place)).join(', ')}`,
      )
    if (others.length > 0) throw new OwnQueryError(`"${name}" is in several schemas: name it with its schema`)
    return this.of(...found)
  }

  /** The table of a record type. */
  of(type: string, place: TablePlace = this.#layout.tables[type] as TablePlace): SeenTable {
    const seen = this.#seen.get(type) ?? this.#tableOf(type, place)
    this.#seen.set(type, seen)
    return seen
  }

  /** Whether a table has this name, in any letter case: some databases do not tell case apart. */
  has(name: string): boolean {
    const names = [...Object.values(this.#layout.tables), this.#layout.removedKeys].map((place) => place.name.toLowerCase())
    return names.includes(name.toLowerCase())
  }

  #tableOf(type: string, place: TablePlace): SeenTable {
    const model = typeModel(this.#asker.model, type)
    const values: CallValues = {
      known: ({ value, type }) => Known.constant(comparableOf(value as Comparable, type)),
      now: () => {
        this.usesTime = true
        return Known.constant(this.#asker.env().now)
      },
    }
    // Columns become SQL when they are first used, which may be long after the rows did.
    const options = () => ({ dialect: this.#dialect, now: this.#asker.env().now, layout: this.#layout, type, table: ROW, values })
    const readable = this.#asker.readable(type)
    const isRefused = this.#asker.decideWithoutRecord(type, 'read') !== undefined
    const rows = isRefused ? FALSE : simplify(allOfNode([readable]))
    const { clauses } = this.#asker.rules(type, 'read')
    const fields = Object.entries(model.fields).map(([name, field]) => {
      const column = place.columns[name]
      const seen = simplify(visibility(model, clauses, name))
      return { name: column?.name ?? name, seen, kind: kindOf(field, column?.as) }
    })
    const columns = new Map(fields.map(({ name, seen, kind }) => [name, { isWhole: seen === TRUE, kind }]))
    // Without hidden rows there is nothing to be told: a hidden field is behind its CASE, wherever it stands.
    const isOpen = rows === TRUE
    const made = new Map<string, AliasedExpression<unknown, string>>()
    const selected = ({ name, seen }: { readonly name: string; readonly seen: ConditionNode }) => {
      const column = sql.id(ROW, name)
      const there = made.get(name) ?? (seen === TRUE ? column : sql`case when ${compile(seen, options())} then ${column} end`).as(name)
      made.set(name, there)
      return there
    }
    const table = sql`${place.schema === undefined ? sql.id(place.name) : sql.id(place.schema, place.name)} as ${sql.id(ROW)}`
    const where = compile(rows, { ...options(), finds: 'rows', key: keyPlaces(model), broad: this.#broad.get(type) ?? [] })
    const end = sql.raw(` ${this.#dialect.expressions.apart}`)
    return {
      type,
      name: place.name,
      qualified: tableOf(place),
      rows,
      columns,
      written: (used, tests, apart) => {
        const those = fields.filter(({ name }) => used.has(name)).map(selected)
        const list = those.length === 0 ? sql`1 as ${sql.id(ROW)}` : sql.join(those)
        const conditions = [...(rows === TRUE ? [] : [where]), ...tests.map((test) => sql`${expression(test)}`)]
        const filter =
          conditions.length === 0
            ? sql``
            : sql` where ${sql.join(
                conditions.map((one) => sql`(${one})`),
                sql` and `,
              )}`
        return sql`(select ${list} from ${table}${filter}${apart && !isOpen ? end : sql``})`
      },
    }
  }
}

/** What was worked out for an asker. */
interface Seen {
  readonly layout: Layout
  readonly dialect: Dialect
  readonly broad: string
  readonly tables: SeenTables
}

const seenBy = new WeakMap<object, Seen>()

/** The tables as an asker sees them, which are worked out once for each state of their rules. */
export function seenTables(asker: Asker, layout: Layout, dialect: Dialect, byType: BroadByType = new Map()): SeenTables {
  const key = asker.viewpoint ?? asker
  const there = seenBy.get(key)
  const broad = JSON.stringify([...byType])
  const isSame = there?.layout === layout && there.dialect === dialect && there.broad === broad
  if (isSame && !there.tables.usesTime) return there.tables
  const tables = new SeenTables(asker, layout, dialect, byType)
  seenBy.set(key, { layout, dialect, broad, tables })
  return tables
}

/** A node as an expression of Kysely. */
export function expression(node: PlainNode) {
  return { toOperationNode: () => node, expressionType: undefined, isRawBuilder: false } as never
}

/** A condition on a column of a source, as one on the column of its table. */
export function onTable(test: PlainNode): PlainNode {
  const { column } = test.leftOperand as PlainNode
  return { ...test, leftOperand: sql.id(ROW, nameOf((column as PlainNode).column)).toOperationNode() }
}

function kindOf({ type, list }: Field, as: string | undefined): string {
  return `${type}${list ? '[]' : ''} ${as ?? ''}`
}
