import { type SqlBool, sql } from 'kysely'
import { type ConditionNode, FALSE, PachterError, type Scalar, simplify } from '../../../condition/index.js'
import { fieldOf, isKeyField, type Model, type TypeModel, typeModel } from '../../../rulebook/index.js'
import { compile } from '../../compile.js'
import type { Dialect } from '../../dialect.js'
import type { Expressions, Fragment, Side, Test } from '../../expressions.js'
import { inlined } from '../../filter.js'
import { layoutOf } from '../../layout.js'
import type { ColumnPlace, Layout, TablePlace } from '../../places.js'
import { postgres } from '../dialect.js'
import { besideKeys, key as keptKey, rawOf } from '../storage-types.js'
import { PARAMETER_TYPES } from '../value.js'
import { claimFunctions, laterIn, named, quoted } from './claims.js'
import { type HeldRules, heldRules } from './enforceable-rules.js'
import { meFunction } from './me-function.js'
import { membership, type Names, noMembership, noUsage, unquoted, usage } from './roles.js'
import { text } from './text.js'

/** The options of row security. */
export interface RowSecurityOptions {
  /** The tables and storage types of the record types: use `readLayout`. Default: tables and columns with the names of types and fields. */
  readonly layout?: Layout
  /** The schema of tables without one in the layout. Default: `public`. */
  readonly schema?: string
  /** The role that the policies apply to. It is granted the columns that they allow, and must have no other grants. */
  readonly role: string
  /** A role with full access: the one that the guarded store connects as. */
  readonly trusted?: string
  /** The schema for the functions. Default: `pachter`. */
  readonly functions?: string
  /** The role that reads linked records for the policies. It cannot log in. Default: `pachter_reader`. */
  readonly reader?: string
  /** Fields that the role may never read, such as `plot.wardenNotes`. Clauses that show all other fields can then be enforced. */
  readonly withhold?: readonly string[]
}

/** Row security that enforces a rulebook in PostgreSQL. */
export interface RowSecurity {
  /** The migration, in one transaction. */
  readonly up: string
  /** The down migration. */
  readonly down: string
  /** By record type: rules that the database refuses to apply or does not check. They are left to the application. */
  readonly left: { readonly [type: string]: readonly string[] }
}

/** Row security cannot be generated with these options. The message names the option. */
export class RowSecurityError extends PachterError {
  constructor(problem: string) {
    super('ROW_SECURITY', problem)
  }
}

/**
 * Creates row security for PostgreSQL: policies that enforce the rulebook in the database, for access that bypasses the application. The
 * person's claims are read as JSON from the setting `pachter.me`, which is set for a transaction: `select set_config('pachter.me', $1,
 * true)`. If it is unset or blank, the person is a visitor. What policies cannot enforce exactly is refused there, and listed in `left`.
 * A person who can send their own SQL can also set claims. So this is a second line of defence behind the application, not a replacement
 * for it.
 * @throws RowSecurityError, UnknownNameError
 * @example
 * const { up, down, left } = rowSecurity(book, { layout: await readLayout(db, postgres, book), role: 'reports', trusted: 'app' })
 */
export function rowSecurity(book: { readonly model: Model }, options: RowSecurityOptions): RowSecurity {
  const writer = new Writer(book.model, options)
  return Object.freeze(writer.write())
}

class Writer {
  readonly #model: Model
  readonly #layout: Layout
  readonly #schema: string
  readonly #role: string
  readonly #trusted: string | undefined
  readonly #functions: string
  readonly #reader: string
  readonly #withheld: readonly string[]
  /** The functions that read other tables, collected while policies are written. */
  readonly #made: string[] = []
  readonly #known = new Map<string, string>()

  constructor(
    model: Model,
    { layout, schema = 'public', role, trusted, functions = 'pachter', reader = 'pachter_reader', withhold = [] }: RowSecurityOptions,
  ) {
    this.#model = model
    this.#layout = layout ?? layoutOf({ model })
    this.#schema = schema
    this.#role = role
    this.#trusted = trusted
    this.#functions = named(functions)
    this.#reader = named(reader)
    for (const name of withhold) {
      const [type = '', field = ''] = name.split('.')
      if (fieldOf(typeModel(model, type), field) && isKeyField(typeModel(model, type), field))
        throw new RowSecurityError(`${name}: the key of a record is always visible`)
    }
    this.#withheld = withhold
  }

  write(): RowSecurity {
    const types = Object.values(this.#model.types)
    const left: Record<string, readonly string[]> = {}
    const tables = types.map((type) => {
      const withheld = this.#withheld.filter((name) => name.startsWith(`${type.name}.`)).map((name) => name.slice(type.name.length + 1))
      if (this.#place(type.name).isView) {
        left[type.name] = Object.freeze([
          'nothing is granted: this is a view, and policies exist for tables only. Write row security for the tables of the view',
        ])
        return this.#view(type)
      }
      const rules = heldRules(this.#model, type, withheld)
      if (rules.left.length > 0) left[type.name] = Object.freeze(rules.left)
      return this.#table(type, rules)
    })
    const f = this.#functions
    const reader = this.#reader
    const names: Names = { functions: f, reader, role: this.#role }
    const schemas = [...new Set(types.map(({ name }) => this.#place(name).schema))].map((one) => named(one))
    const up = [
      "-- Row security for PostgreSQL, written by pachter from the rulebook. Claims: select set_config('pachter.me', <json>, true)",
      ...Object.entries(left).flatMap(([type, lines]) => [
        '--',
        `-- ${type}, left to the application:`,
        ...lines.map((line) => `--   ${oneLine(line)}`),
      ]),
      'begin;',
      `do $$ begin if not exists (select from pg_roles where rolname = ${quoted(unquoted(reader))}) then create role ${reader} nologin; end if; end $$;`,
      `do $$ begin if exists (select from pg_roles where rolname = ${quoted(this.#role)} and (rolsuper or rolbypassrls)) then raise exception 'no policy holds the role %, which bypasses row security', ${quoted(this.#role)}; end if; end $$;`,
      `create schema ${f};`,
      ...membership(names),
      `grant usage on schema ${f} to ${reader}, ${named(this.#role)};`,
      `grant create on schema ${f} to ${reader};`,
      ...schemas.map((one) => `grant usage on schema ${one} to ${reader};`),
      ...usage(names, schemas),
      ...claimFunctions(f),
      ...meFunction({ model: this.#model, layout: this.#named, functions: f, reader }),
      ...this.#made,
      `revoke create on schema ${f} from ${reader};`,
      // They return data of the person that a setting names, so no other role may call them.
      `revoke all on all functions in schema ${f} from public;`,
      `grant execute on all functions in schema ${f} to ${reader}, ${named(this.#role)};`,
      ...noMembership(names),
      ...tables.flatMap(({ up }) => up),
      'commit;',
    ]
    const down = [
      '-- Removes the row security that pachter wrote.',
      'begin;',
      ...tables.flatMap(({ down }) => down),
      ...noUsage(names),
      `drop schema ${f} cascade;`,
      ...schemas.map((one) => `revoke usage on schema ${one} from ${reader};`),
      `-- The role may be used by other databases of the server: drop role ${reader};`,
      'commit;',
    ]
    return { up: `${up.join('\n')}\n`, down: `${down.join('\n')}\n`, left: Object.freeze(left) }
  }

  #place(type: string): TablePlace & { readonly schema: string } {
    const place = this.#layout.tables[type] as TablePlace
    return { ...place, schema: place.schema ?? this.#schema }
  }

  /** The layout with all schemas named: functions have an empty search path. */
  get #named(): Layout {
    const tables = Object.keys(this.#layout.tables).map((type) => [type, this.#place(type)] as const)
    return { ...this.#layout, tables: Object.fromEntries(tables) }
  }

  #table(type: TypeModel, rules: HeldRules): { readonly up: string[]; readonly down: string[] } {
    const place = this.#place(type.name)
    const table = named(place.schema, place.name)
    const to = ` to ${named(this.#role)}`
    const sqlOf = (when: ConditionNode) => this.#sql(type, when)
    const policies: string[] = [`create policy pachter_links on ${table} for select to ${this.#reader} using (true);`]
    if (this.#trusted !== undefined)
      policies.push(`create policy pachter_trusted on ${table} for all to ${named(this.#trusted)} using (true) with check (true);`)
    const add = (name: string, action: string, body: string) =>
      policies.push(`create policy pachter_${name} on ${table} for ${action}${to} ${body};`)
    if (isPossible(rules.read)) add('read', 'select', `using (${sqlOf(rules.read)})`)
    if (isPossible(rules.create)) add('create', 'insert', `with check (${sqlOf(rules.create)})`)
    if (isPossible(rules.update.using))
      add('update', 'update', `using (${sqlOf(rules.update.using)}) with check (${sqlOf(rules.update.check)})`)
    if (isPossible(rules.delete)) add('delete', 'delete', `using (${sqlOf(rules.delete)})`)
    const grants = this.#grants(type, rules, table, named(this.#role))
    return {
      up: [
        `grant select on ${table} to ${this.#reader};`,
        `alter table ${table} enable row level security;`,
        `alter table ${table} force row level security;`,
        ...policies,
        ...grants,
      ],
      down: [
        ...policies.map((policy) => `drop policy ${policy.split(' ')[2]} on ${table};`),
        `alter table ${table} no force row level security;`,
        `alter table ${table} disable row level security;`,
        `revoke select on ${table} from ${this.#reader};`,
        `revoke all on ${table} from ${named(this.#role)};`,
      ],
    }
  }

  /** Rules that lead to a view read it; the role does not. */
  #view(type: TypeModel): { readonly up: string[]; readonly down: string[] } {
    const { schema, name } = this.#place(type.name)
    const view = named(schema, name)
    return {
      up: [`grant select on ${view} to ${this.#reader};`, `revoke all on ${view} from ${named(this.#role)};`],
      down: [`revoke select on ${view} from ${this.#reader};`],
    }
  }

  #grants(type: TypeModel, rules: HeldRules, table: string, role: string): string[] {
    const column = (field: string) => (this.#place(type.name).columns[field] as ColumnPlace).name
    const columns = (fields: readonly string[]) => fields.map((field) => named(column(field))).join(', ')
    const grant = (what: string, fields: readonly string[]) =>
      fields.length === 0 ? [] : [`grant ${what} (${columns(fields)}) on ${table} to ${role};`]
    const given = {
      select: isPossible(rules.read) ? rules.columns.read : [],
      insert: isPossible(rules.create) ? rules.columns.create : [],
      update: isPossible(rules.update.using) ? rules.columns.update : [],
    }
    // Rights of the role from another grant, as a member of another role or as an owner, would bypass the policies.
    const beyond = Object.entries(given).flatMap(([what, fields]) => {
      const others = Object.keys(type.fields).filter((field) => !fields.includes(field))
      return others.length === 0 ? [] : [`(${quoted(what)}, array[${others.map((field) => quoted(column(field))).join(', ')}])`]
    })
    return [
      `revoke all on ${table} from ${role};`,
      ...Object.entries(given).flatMap(([what, fields]) => grant(what, fields)),
      ...(isPossible(rules.delete) ? [`grant delete on ${table} to ${role};`] : []),
      ...(beyond.length === 0
        ? []
        : [
            `do $$ declare odd text; begin
  select string_agg(what || ' of ' || named, ', ') into odd from (values ${beyond.join(', ')}) as given(what, columns), unnest(columns) as named
    where has_column_privilege(${quoted(this.#role)}, ${quoted(table)}::regclass, named, what);
  if odd is not null then raise exception 'the role % has more of % than its policies can hold: %; revoke it from the role that grants it', ${quoted(this.#role)}, ${quoted(table)}, odd; end if;
end $$;`,
          ]),
    ]
  }

  /** A condition as the text of a policy. */
  #sql(type: TypeModel, when: ConditionNode): string {
    const place = this.#place(type.name)
    const later = laterIn(this.#functions, `${this.#functions}.me()`, {
      rowColumn: (column) => sql`($1).${sql.id(column)}`,
      ofRow: (test) => this.#moved(place, test),
    })
    const isInQuery: Expressions['isInQuery'] = (values, keys, query) => this.#keys(values, keys, query)
    const dialect: Dialect = { ...postgres, expressions: { ...postgres.expressions, isInQuery } }
    return inlined(compile(when, { dialect, now: 0, table: place.name, type: type.name, layout: this.#named, later }), quoted)
  }

  /** A test of a row that reads other tables, as a function of the row. */
  #moved(place: TablePlace & { readonly schema: string }, test: Test): Test {
    const name = this.#function(`row ${named(place.schema, place.name)}`, 'boolean', `select ${text(test)}`)
    return sql<SqlBool>`${sql.raw(name)}(${sql.id(place.name)})`
  }

  /** The keys that a query selects, as a function that returns an array and is evaluated once. */
  #keys(values: readonly Side[], keys: readonly Side[], query: (selected: readonly Fragment[]) => Fragment): Test {
    const typeOf = (key: Fragment, type: Scalar, beside: Fragment) => {
      const as = rawOf(key)?.as
      // Types with equivalent text forms are returned as text, unless there is an array type for them.
      if (keptKey(key) !== key) return values.length === 1 || rawOf(beside)?.as === as ? (as as string) : PARAMETER_TYPES.text
      return as === 'numeric' || as === 'real' ? 'double precision' : PARAMETER_TYPES[type]
    }
    // In the type of the linked records: 0.5 is not an integer and must not be rounded to one.
    const types = keys.map(({ value, type }, at) => typeOf(value, type, (values[at] as Side).value))
    const selected = keys.map(
      ({ value }, at) => sql`${types[at] === PARAMETER_TYPES.text ? value : keptKey(value)}::${sql.raw(types[at] as string)}`,
    )
    const sides = values.map((one, at) => ({ ...one, value: besideKeys(one.value, (keys[at] as Side).value) }))
    const [only] = sides
    if (values.length === 1 && only !== undefined) {
      const type = types[0] as string
      const name = this.#function('keys', `${type}[]`, `select array(${text(query(selected))})`)
      const own = (values[0] as Side).value
      const alike = keptKey(own) !== own && rawOf(own)?.as === type
      const among = sql.raw(`any((select ${name}())::${type}[])`)
      if (alike) return sql<SqlBool>`${keptKey(own)} = ${among}`
      return type in WRITTEN_TYPES
        ? sql<SqlBool>`${only.value} = any((select ${sql.raw(name)}())::text[])`
        : sql<SqlBool>`${only.value} = ${among}`
    }
    const columns = types.map((type, at) => `k${at} ${type}`)
    const name = this.#function('keys', `table (${columns.join(', ')})`, text(query(selected)))
    const wanted = sides.map(({ value }, at) => ((types[at] as string) in WRITTEN_TYPES ? keptKey((values[at] as Side).value) : value))
    return sql<SqlBool>`(${sql.join(wanted)}) in (select * from ${sql.raw(name)}())`
  }

  #function(of: string, returns: string, body: string): string {
    const id = `${of} ${returns} ${body}`
    const there = this.#known.get(id)
    if (there !== undefined) return there
    const [kind, row] = of.split(' ')
    const name = `${this.#functions}.${kind}_${this.#known.size + 1}`
    this.#known.set(id, name)
    const takes = row === undefined ? '' : row
    this.#made.push(
      `create function ${name}(${takes}) returns ${returns} language sql stable security definer set search_path = pg_catalog, pg_temp as ${dollars(body)};`,
      `alter function ${name}(${takes}) owner to ${this.#reader};`,
    )
    return name
  }
}

const WRITTEN_TYPES: { readonly [type: string]: true } = { uuid: true }

function isPossible(when: ConditionNode): boolean {
  return simplify(when) !== FALSE
}

function oneLine(line: string): string {
  return line.replace(/\s+/g, ' ')
}

/** A function body in dollar quotes that do not occur in it. */
function dollars(body: string): string {
  let mark = '$f$'
  while (body.includes(mark)) mark = `$f${mark.length}$`
  return `${mark} ${body} ${mark}`
}
