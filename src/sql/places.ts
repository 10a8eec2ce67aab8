/** Where a field is stored: the column, and its storage type if known. */
export interface ColumnPlace {
  readonly name: string
  /** The storage type in the dialect's terms: `uuid`, `timestamptz`, `text[]`. Absent if unknown. */
  readonly as?: string
}

/** Where the records of a type are stored. */
export interface TablePlace {
  readonly schema?: string
  readonly name: string
  readonly columns: { readonly [field: string]: ColumnPlace }
  /** True if it is a view, as far as the database was asked. Views have no indexes and no row security. */
  readonly isView?: true
}

/** Where a database stores the record types of a rulebook: plain data from `layoutOf` or `readLayout`. */
export interface Layout {
  readonly tables: { readonly [type: string]: TablePlace }
  /** The table of deleted keys, if clients may choose keys. */
  readonly removedKeys: { readonly schema?: string; readonly name: string }
}

/** A column in the database. */
export interface FoundColumn {
  readonly schema: string
  readonly table: string
  readonly column: string
  /** Its type in the database's notation. */
  readonly type: string
  /** The kind of that type, if the dialect's query returns it. */
  readonly kind?: string | null
  readonly collation?: string | null
  /** The labels of an enumeration as JSON, if the dialect's query returns them. */
  readonly labels?: string | null
  /** Whether it is a column of a view: true, or 1 in databases without booleans. */
  readonly view?: boolean | number | null
}

/** A column of a foreign key in the database. */
export interface FoundForeignKey {
  /** Empty if the connection finds the table without a schema; so is `toSchema`. */
  readonly schema: string
  readonly table: string
  readonly column: string
  readonly toSchema: string
  readonly toTable: string
  readonly toColumn: string
}

/** An index that rules could use. */
export interface WantedIndex {
  readonly type: string
  readonly field: string
  /**
   * Its purpose: equality, with or without regard to case, the start of a text, elements of a list, times that live lists find as they pass,
   * or the order of lists.
   */
  readonly for: 'equality' | 'equality ignoring case' | 'start' | 'elements' | 'time' | 'order'
  /** The fields that follow it in the index, for an order. */
  readonly following?: readonly string[]
  /** The rules that could use it: `read of plot: holder`. */
  readonly rules: readonly string[]
}

/** The names of the columns of some fields. */
export function columnNames({ columns }: TablePlace, fields: readonly string[]): readonly string[] {
  return fields.map((field) => columns[field]?.name ?? field)
}

/** An existing index. */
export interface FoundIndex {
  readonly schema: string
  readonly table: string
  /** Its first column; null if it begins with an expression. */
  readonly column: string | null
  /** The expression that it begins with, or the whole index as it was created. */
  readonly expression?: string | null
  /** Its second column. */
  readonly second?: string | null
  /** `btree`, `gin` and so on. */
  readonly method: string
  /** False if it cannot find the start of a text, because of its collation. */
  readonly starts?: boolean | number | null
  /** The condition of a partial index. */
  readonly partial?: string | null
}
