import { type AliasedExpression, type RawBuilder, type SqlBool, sql } from 'kysely'
import type { ConditionNode, Row } from '../../condition/index.js'
import type { Field } from '../../rulebook/index.js'
import type { Column, Fragment, Known, Ordering } from '../../sql/index.js'
import type { PlaceValue, SortStep } from '../tables.js'
import { comesAfter } from './comes-after.js'
import { columnOf, type Placed } from './tables-placed.js'

/** The names of places, next to the columns of a record. */
const PLACE = 'pachter_place_'

/** Writes a condition as SQL. */
type Write = (condition: ConditionNode) => RawBuilder<SqlBool>

/** A step of a sort order, as a query uses it. */
interface Step {
  readonly at: number
  readonly name: string
  readonly field: Field
  readonly column: Column
  readonly descending: boolean
  /** Where the value is visible; undefined if it always is. */
  readonly visible: ConditionNode | undefined
  /** The value is never missing or hidden. */
  readonly always: boolean
  /** The value after which to continue: null if it is missing; undefined at the start. */
  readonly after: PlaceValue | undefined
}

/** The records of a query: all, or those in which the first value is present, or the others. */
type Part = 'all' | 'present' | 'missing'

/** The sort order of a query. Immutable. */
export class SortOrder {
  readonly #ordering: Ordering
  readonly #steps: readonly Step[]
  readonly #part: Part

  private constructor(ordering: Ordering, steps: readonly Step[], part: Part) {
    this.#ordering = ordering
    this.#steps = steps
    this.#part = part
  }

  static of(ordering: Ordering, { place, model }: Placed, sort: readonly SortStep[], after: readonly PlaceValue[] | undefined): SortOrder {
    const steps = sort.map(({ field: name, descending, visible }, at): Step => {
      const field = model.fields[name] as Field
      const always = visible === undefined && field.optional === undefined
      return { at, name, field, column: columnOf(place, name), descending, visible, always, after: after && (after[at] ?? null) }
    })
    return new SortOrder(ordering, steps, 'all')
  }

  /** Everything that the SQL depends on, besides conditions and the place to continue after. */
  get form(): string {
    const steps = this.#steps.map(({ name, descending, visible }) => (descending ? '-' : '') + name + (visible ? '?' : ''))
    return `${this.#part} ${steps.join()}`
  }

  /** The conditions by which values are visible. */
  get conditions(): readonly ConditionNode[] {
    return this.#steps.flatMap(({ visible }) => visible ?? [])
  }

  /**
   * The order of two queries, if one cannot use an index for all records: first those in which the first value is visible and present, and
   * then the others. Undefined if one query is enough.
   */
  split(): readonly SortOrder[] | undefined {
    const [first, ...rest] = this.#steps
    if (first === undefined || first.always || this.#isIndexed(first)) return undefined
    if (first.after === null) return [new SortOrder(this.#ordering, this.#steps, 'missing')]
    const fromStart = [first, ...rest].map((step) => ({ ...step, after: undefined }))
    return [new SortOrder(this.#ordering, this.#steps, 'present'), new SortOrder(this.#ordering, fromStart, 'missing')]
  }

  /** Whether an index has the whole order, from the start. */
  #isIndexed({ visible, after, descending }: Step): boolean {
    return visible === undefined && after === undefined && (this.#ordering.missingLast === 'descending') === descending
  }

  /** The condition for the records of the query; undefined for all. */
  where(write: Write): RawBuilder<SqlBool> | undefined {
    const [first] = this.#steps
    if (first === undefined || this.#part === 'all') return undefined
    const { visible, column } = first
    if (visible === undefined) return this.#part === 'present' ? sql`${column.ref} is not null` : sql`${column.ref} is null`
    const there = sql<SqlBool>`(${write(visible)} and ${column.ref} is not null)`
    return this.#part === 'present' ? there : sql`${there} is not true`
  }

  /** The parts of ORDER BY. */
  parts(write: Write): readonly RawBuilder<unknown>[] {
    return this.#used().flatMap((step) => {
      const value = this.#value(step, step.visible ? this.#compared(step) : this.#sorted(step), write)
      const sorted = sql`${value} ${sql.raw(step.descending ? 'desc' : 'asc')}`
      if (step.always) return [sorted]
      if (this.#ordering.nullsLast) return [sql`${sorted} nulls last`]
      return step.descending ? [sorted] : [sql`${value} is null`, sorted]
    })
  }

  /** The condition for what comes after the place; undefined at the start. `known` gives a value of the place by its number. */
  after(write: Write, known: (at: number) => Known): RawBuilder<SqlBool> | undefined {
    const steps = this.#used().filter(({ after }) => after !== undefined)
    if (steps.length === 0) return undefined
    return comesAfter(
      steps.map((step) => ({
        compared: this.#value(step, this.#compared(step), write),
        descending: step.descending,
        always: step.always,
        after: step.after === null ? undefined : this.#ordering.placed(known(step.at), step.column, step.field),
      })),
      this.#ordering.comparesRows,
    )
  }

  /** What to select for the places of records, besides their columns. */
  places(write: Write): readonly AliasedExpression<unknown, string>[] {
    return this.#used().flatMap((step) => {
      const exact = this.#ordering.place(step.column, step.field)
      if (exact === undefined && step.visible === undefined) return []
      return [sql`${this.#value(step, exact ?? step.column.ref, write)}`.as(PLACE + step.at)]
    })
  }

  /** The place of a selected row. */
  placeOf(row: Row): readonly PlaceValue[] {
    return this.#steps.map(({ name, at }) => {
      const isMissing = at === 0 && this.#part === 'missing'
      const value = isMissing ? null : Object.hasOwn(row, PLACE + at) ? row[PLACE + at] : row[name]
      return typeof value === 'bigint' ? String(value) : ((value ?? null) as PlaceValue)
    })
  }

  /** The steps that the query sorts by. The first value is visible and present in all records of the first part, and in none of the other. */
  #used(): readonly Step[] {
    const [first, ...rest] = this.#steps
    if (first === undefined || this.#part === 'all') return this.#steps
    return this.#part === 'missing' ? rest : [{ ...first, visible: undefined, always: true }, ...rest]
  }

  #sorted({ column }: Step): Fragment {
    return this.#ordering.sorted?.(column) ?? column.ref
  }

  #compared({ column }: Step): Fragment {
    return this.#ordering.compared?.(column) ?? column.ref
  }

  #value({ visible }: Step, value: Fragment, write: Write): Fragment {
    return visible === undefined ? value : sql`case when ${write(visible)} then ${value} end`
  }
}
