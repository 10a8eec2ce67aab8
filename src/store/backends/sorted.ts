import { type AliasedExpression, type RawBuilder, type SqlBool, sql } from 'kysely'
import type { ConditionNode, Row } from '../../condition/index.js'
import type { Field } from '../../rulebook/index.js'
import type { Column, Fragment, Ordering } from '../../sql/index.js'
import type { PlaceValue, SortStep } from '../tables.js'
import { comesAfter } from './comes-after.js'
import { columnOf, type Placed } from './tables-placed.js'

/** The names of places, next to the columns of a record. */
const PLACE = 'pachter_place_'

/** A step of a sort order, as a query uses it. */
interface Step {
  readonly name: string
  readonly field: Field
  readonly column: Column
  readonly descending: boolean
  /** Where the value is visible; undefined if it always is. */
  readonly visible: RawBuilder<SqlBool> | undefined
  /** The value is never missing or hidden. */
  readonly always: boolean
  /** The value is missing in all records of the query. */
  readonly never: boolean
  /** The value after which to continue: null if it is missing; undefined at the start. */
  readonly after: PlaceValue | undefined
}

/** The sort order of a query. Immutable. */
export class SortOrder {
  readonly #ordering: Ordering
  readonly #steps: readonly Step[]

  private constructor(ordering: Ordering, steps: readonly Step[]) {
    this.#ordering = ordering
    this.#steps = steps
  }

  static of(
    ordering: Ordering,
    { place, model }: Placed,
    sort: readonly SortStep[],
    after: readonly PlaceValue[] | undefined,
    asked: (condition: ConditionNode) => RawBuilder<SqlBool>,
  ): SortOrder {
    const steps = sort.map(({ field: name, descending, visible }, at): Step => {
      const field = model.fields[name] as Field
      return {
        name,
        field,
        column: columnOf(place, name),
        descending,
        visible: visible && asked(visible),
        always: visible === undefined && field.optional === undefined,
        never: false,
        after: after && (after[at] ?? null),
      }
    })
    return new SortOrder(ordering, steps)
  }

  /**
   * The order of two queries, if one cannot use an index for all records: first those in which the first value is visible and present, and
   * then the others. Each has a further condition. Undefined if one query is enough.
   */
  split(): readonly { readonly order: SortOrder; readonly where: RawBuilder<SqlBool> }[] | undefined {
    const [first, ...rest] = this.#steps
    if (first === undefined || first.always) return undefined
    const there = first.visible
      ? sql<SqlBool>`(${first.visible} and ${first.column.ref} is not null)`
      : sql<SqlBool>`${first.column.ref} is not null`
    const present = new SortOrder(this.#ordering, [{ ...first, visible: undefined, always: true }, ...rest])
    const missing = new SortOrder(this.#ordering, [
      { ...first, visible: undefined, never: true },
      ...(first.after === null ? rest : rest.map((step) => ({ ...step, after: undefined }))),
    ])
    const others = { order: missing, where: first.visible ? sql<SqlBool>`${there} is not true` : sql<SqlBool>`${first.column.ref} is null` }
    return first.after === null ? [others] : [{ order: present, where: there }, others]
  }

  /** The parts of ORDER BY. */
  parts(): readonly RawBuilder<unknown>[] {
    return this.#used().flatMap((step) => {
      const value = this.#value(step, step.visible ? this.#compared(step) : this.#sorted(step))
      const sorted = sql`${value} ${sql.raw(step.descending ? 'desc' : 'asc')}`
      if (step.always) return [sorted]
      if (this.#ordering.nullsLast) return [sql`${sorted} nulls last`]
      return step.descending ? [sorted] : [sql`${value} is null`, sorted]
    })
  }

  /** The condition for what comes after the place; undefined at the start. */
  after(): RawBuilder<SqlBool> | undefined {
    const steps = this.#used().filter(({ after }) => after !== undefined)
    if (steps.length === 0) return undefined
    return comesAfter(
      steps.map((step) => ({
        compared: this.#value(step, this.#compared(step)),
        descending: step.descending,
        always: step.always,
        after: step.after === null ? undefined : this.#ordering.placed(step.after as string | number | boolean, step.column, step.field),
      })),
      this.#ordering.comparesRows,
    )
  }

  /** What to select for the places of records, besides their columns. */
  places(): readonly AliasedExpression<unknown, string>[] {
    return this.#steps.flatMap((step, at) => {
      const exact = this.#ordering.place(step.column, step.field)
      if (step.never || (exact === undefined && step.visible === undefined)) return []
      return [sql`${this.#value(step, exact ?? step.column.ref)}`.as(PLACE + at)]
    })
  }

  /** The place of a selected row. */
  placeOf(row: Row): readonly PlaceValue[] {
    return this.#steps.map((step, at) => {
      const value = step.never ? null : Object.hasOwn(row, PLACE + at) ? row[PLACE + at] : row[step.name]
      return typeof value === 'bigint' ? String(value) : ((value ?? null) as PlaceValue)
    })
  }

  #used(): readonly Step[] {
    return this.#steps.filter(({ never }) => !never)
  }

  #sorted({ column }: Step): Fragment {
    return this.#ordering.sorted?.(column) ?? column.ref
  }

  #compared({ column }: Step): Fragment {
    return this.#ordering.compared?.(column) ?? column.ref
  }

  #value({ visible }: Step, value: Fragment): Fragment {
    return visible === undefined ? value : sql`case when ${visible} then ${value} end`
  }
}
