/** Where a field is kept: in which column, and as what, where that is known. */
export interface ColumnPlace {
  readonly name: string
  /** How the database holds the values, in the dialect's words: `uuid`, `timestamptz`, `text[]`. Left out where nobody said. */
  readonly as?: string
}

/** Where the records of a type are kept. */
export interface TablePlace {
  readonly schema?: string
  readonly name: string
  readonly columns: { readonly [field: string]: ColumnPlace }
  /** It is a view, where the database was asked: what is made for tables cannot be made for it. */
  readonly isView?: true
}

/** Where a database keeps the record types of a rulebook: plain data, made by `layoutOf` or `readLayout`. */
export interface Layout {
  readonly tables: { readonly [type: string]: TablePlace }
  /** The keys that were removed, where clients may give keys. */
  readonly removedKeys: { readonly schema?: string; readonly name: string }
}

/** A column that a database has. */
export interface FoundColumn {
  readonly schema: string
  readonly table: string
  readonly column: string
  /** Its type, as the database writes it. */
  readonly type: string
  /** What kind of type that is, where the dialect's query says. */
  readonly kind?: string | null
  readonly collation?: string | null
  /** Whether it is a column of a view; true, or 1 in databases that have no such values. */
  readonly view?: boolean | number | null
}

/** An index that rules could use. */
export interface WantedIndex {
  readonly type: string
  readonly field: string
  /** What it is for: equality, the start of a text, or elements of a list. */
  readonly for: 'equality' | 'start' | 'elements'
  /** The rules that ask for it: `read of plot: holder`. */
  readonly rules: readonly string[]
}

/** An index that is there. */
export interface FoundIndex {
  readonly schema: string
  readonly table: string
  /** Its first column. */
  readonly column: string
  /** `btree`, `gin` and so on. */
  readonly method: string
}
