import { CompiledQuery, type Kysely, type QueryResult } from 'kysely'
import { type Comparable, type ConditionNode, type LiteralNode, type Row, shapeOf } from '../../condition/index.js'
import { type CallValues, comparableOf, Known, type Look, Slot } from '../../sql/index.js'
import type { PlaceValue } from '../tables.js'

/** A statement that was made for a call, and what its SQL depends on. */
interface Plan {
  readonly sql: string
  readonly parameters: readonly unknown[]
  readonly looks: readonly Look[]
}

/** The values of a call: those of its literals, the time, and the place to continue after. */
export class Values implements CallValues {
  /** The number of the first literal with each value. */
  readonly #first = new Map<string, number>()
  readonly #count: number
  readonly #all: readonly Comparable[]
  /** Which literals have the same value: simplification compares them with each other, and nothing else about them. */
  readonly sameness: string
  readonly looks: Look[] = []

  constructor(literals: readonly LiteralNode[], now: number, after: readonly PlaceValue[]) {
    this.#count = literals.length
    const firsts = literals.map((literal, at) => {
      const value = textOfLiteral(literal)
      const first = this.#first.get(value) ?? at
      this.#first.set(value, first)
      return first
    })
    this.sameness = firsts.join()
    this.#all = [...literals.map(({ value, type }) => comparableOf(value as Comparable, type)), now, ...after.map((place) => place ?? '')]
  }

  get all(): readonly Comparable[] {
    return this.#all
  }

  known(literal: LiteralNode): Known {
    const at = this.#first.get(textOfLiteral(literal))
    return at === undefined ? Known.constant(comparableOf(literal.value as Comparable, literal.type)) : this.#traced(at)
  }

  now(): Known {
    return this.#traced(this.#count)
  }

  /** A value of the place to continue after. */
  place(at: number): Known {
    return this.#traced(this.#count + 1 + at)
  }

  #traced(at: number): Known {
    return Known.traced(this.#all[at] as Comparable, at, this)
  }
}

/** Makes a statement in which the values of the call are slots. */
export type Make = (values: Values) => { compile(): CompiledQuery }

/** A call of a database. */
interface Call {
  /** Everything that the statement depends on besides the rest. */
  readonly form: string
  readonly conditions: readonly ConditionNode[]
  readonly now: number
  /** The place to continue after, or other plain values. */
  readonly after: readonly PlaceValue[]
  readonly make: Make
}

/** Whether a value can be a parameter of a kept statement. */
export function isPlain(value: unknown): value is PlaceValue {
  return value === null || typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean'
}

/** How many statements are kept, and how many of the same form. */
const MOST = 2_000
const MOST_ALIKE = 8
// Longer ones hold lists, which hardly come again.
const LONGEST = 6_000

/**
 * Statements that were made before, to be used again with other values. What depends on the form of conditions is worked out once. A
 * statement is used again only if all that its SQL depends on is the same.
 */
export class Plans {
  readonly #plans = new Map<string, readonly Plan[]>()
  #count = 0

  /** Runs the statement of a call. */
  run(db: Kysely<any>, call: Call): Promise<QueryResult<Row>> {
    const { sql, parameters, values } = this.#statement(call)
    const given = parameters.map((one) => (one instanceof Slot ? one.from(values) : one))
    return db.executeQuery<Row>(CompiledQuery.raw(sql, given))
  }

  #statement({ form, conditions, now, after, make }: Call): Pick<Plan, 'sql' | 'parameters'> & { readonly values: readonly Comparable[] } {
    const shapes = conditions.map(shapeOf)
    const literals = shapes.flatMap((shape) => shape.literals)
    const values = new Values(literals, now, after)
    const key = [form, ...shapes.map(({ text }) => text), values.sameness, after.map(formOf).join()].join('\n')
    const known = this.#plans.get(key) ?? []
    const plan = known.find(({ looks }) => looks.every(({ at, ask, answer }) => ask(values.all[at] as Comparable) === answer))
    if (plan !== undefined) return { ...plan, values: values.all }
    const { sql, parameters } = make(values).compile()
    if (key.length <= LONGEST) this.#keep(key, [...known, { sql, parameters, looks: distinct(values.looks) }])
    return { sql, parameters, values: values.all }
  }

  #keep(key: string, plans: readonly Plan[]): void {
    // The oldest go first: what is used often is made again soon.
    for (const oldest of this.#plans.keys()) {
      if (this.#count < MOST) break
      this.#count -= this.#plans.get(oldest)?.length ?? 0
      this.#plans.delete(oldest)
    }
    const kept = plans.slice(-MOST_ALIKE)
    this.#count += kept.length - (this.#plans.get(key)?.length ?? 0)
    this.#plans.set(key, kept)
  }
}

/** A text that is the same for literals that conditions take for the same. */
function textOfLiteral({ type, value }: LiteralNode): string {
  return `${type} ${JSON.stringify(value)}`
}

function formOf(place: PlaceValue): string {
  return place === null ? 'null' : typeof place
}

function distinct(looks: readonly Look[]): readonly Look[] {
  return looks.filter(
    ({ at, ask, answer }, n) => !looks.slice(0, n).some((one) => one.at === at && one.ask === ask && one.answer === answer),
  )
}
