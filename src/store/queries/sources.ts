import { OwnQueryError } from './refused.js'

/** A column of a table that the person sees, as far as it matters for what may fail. */
export interface SeenColumn {
  /** Whether it has its value in every row, so that conditions on it can be asked of the table itself. */
  readonly isWhole: boolean
  /** What it holds: two columns with the same kind are compared without conversion. */
  readonly kind: string
}

/** What a query selects from: a table, a subquery, or a named part of WITH. */
export interface Source {
  readonly alias: string
  /** Undefined if they are not known. */
  readonly columns: ReadonlyMap<string, SeenColumn | undefined> | undefined
  /** The name of the table with its schema, if columns may be named by it. */
  readonly qualified?: string
  /** The columns that the query reads. */
  readonly used: Set<string>
}

/** The names that an expression of a query may use: those of its own sources, and of the queries around it. */
export class Names {
  readonly #sources: Source[] = []
  readonly #around: Names | undefined
  readonly #given = new Set<string>()
  readonly #parts: Map<string, NamedPart>

  constructor(around?: Names) {
    this.#around = around
    this.#parts = new Map(around?.parts)
  }

  /** The named parts of WITH that can be selected from. */
  get parts(): ReadonlyMap<string, NamedPart> {
    return this.#parts
  }

  get sources(): readonly Source[] {
    return this.#sources
  }

  addPart(name: string, part: NamedPart): void {
    this.#parts.set(name, part)
  }

  addSource(source: Source): void {
    if (this.#sources.some(({ alias }) => alias === source.alias))
      throw new OwnQueryError(`two tables of a query are called "${source.alias}": name one of them, as in '${source.alias} as other'`)
    this.#sources.push(source)
  }

  /** A name that the query gives to a result, for ORDER BY and the like. */
  addGiven(name: string): void {
    this.#given.add(name)
  }

  /** The source that a reference names. @throws OwnQueryError if there is none, or it has no such column */
  source(table: string, column: string | undefined): Source {
    const found = this.#find(({ alias, qualified }) => alias === table || qualified === table)
    if (found === undefined)
      throw new OwnQueryError(`there is no "${table}" in this query, which has ${list(this.#all().map(({ alias }) => alias))}`)
    const { columns } = found
    if (column !== undefined && columns !== undefined && !columns.has(column))
      throw new OwnQueryError(`"${table}" has no column "${column}" that rules know of: it has ${list([...columns.keys()])}`)
    for (const name of column === undefined ? (columns?.keys() ?? []) : [column]) found.used.add(name)
    return found
  }

  /** Reads all columns of every source of this query. */
  useAll(): void {
    for (const { alias } of this.#sources) this.source(alias, undefined)
  }

  /** The source of a column that is named without one; undefined if it may be any of several. @throws OwnQueryError */
  owner(column: string): Source | undefined {
    for (let names: Names | undefined = this; names !== undefined; names = names.#around) {
      const known = names.#sources.filter(({ columns }) => columns?.has(column))
      for (const { used } of known) used.add(column)
      if (known.length === 1) return known[0]
      if (known.length > 1 || names.#given.has(column) || names.#sources.some(({ columns }) => columns === undefined)) return undefined
    }
    const columns = this.#all().flatMap(({ columns }) => [...(columns?.keys() ?? [])])
    throw new OwnQueryError(`no table of this query has a column "${column}" that rules know of: there are ${list([...new Set(columns)])}`)
  }

  #find(is: (source: Source) => boolean): Source | undefined {
    return this.#sources.find(is) ?? (this.#around === undefined ? undefined : this.#around.#find(is))
  }

  #all(): readonly Source[] {
    return [...this.#sources, ...(this.#around === undefined ? [] : this.#around.#all())]
  }
}

/** A part of WITH: its name in the database, and its columns if they are known. */
export interface NamedPart {
  readonly name: string
  readonly columns: Source['columns']
}

function list(names: readonly string[]): string {
  const few = names.slice(0, 30)
  return few.length === 0 ? 'none' : `${few.join(', ')}${names.length > few.length ? ', ...' : ''}`
}
