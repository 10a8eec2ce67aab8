import { CompiledQuery, type Kysely, type QueryResult } from 'kysely'
import { type Comparable, type ConditionNode, type LiteralNode, properTypes, type Row, shapeOf } from '../../condition/index.js'
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

  readonly #key: readonly LiteralNode[]
  readonly #keysUsed = new Set<LiteralNode>()

  constructor(literals: readonly LiteralNode[], call: Call) {
    this.#key = call.key ?? []
    this.#count = literals.length
    const firsts = literals.map((literal, at) => {
      const value = textOfLiteral(literal)
      const first = this.#first.get(value) ?? at
      this.#first.set(value, first)
      return first
    })
    this.sameness = firsts.join()
    this.#all = valuesOf(literals.map(comparable), call)
  }

  get all(): readonly Comparable[] {
    return this.#all
  }

  known(literal: LiteralNode): Known {
    const part = this.#key.indexOf(literal)
    if (part >= 0) {
      this.#keysUsed.add(literal)
      return this.#traced(this.#all.length - this.#key.length + part)
    }
    const at = this.#first.get(textOfLiteral(literal))
    return at === undefined ? Known.constant(comparable(literal)) : this.#traced(at)
  }

  /** Whether the statement can be used for other keys: the key of this call is a slot in it, and not part of its text. */
  get isForAnyKey(): boolean {
    return this.#keysUsed.size === this.#key.length
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
export interface Call {
  /** Everything that the statement depends on besides the rest. */
  readonly form: string
  readonly conditions: readonly ConditionNode[]
  readonly now: number
  /** The place to continue after, or other plain values. */
  readonly after?: readonly PlaceValue[]
  /** The key in a condition that is compiled on its own. */
  readonly key?: readonly LiteralNode[] | undefined
  readonly make: Make
}

/** Whether a value can be a parameter of a kept statement. */
export function isPlain(value: unknown): value is PlaceValue {
  return value === null || typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean'
}

/** A kept statement for the same conditions, with the values of their literals. */
interface Repeat {
  readonly conditions: readonly ConditionNode[]
  readonly plan: Plan
  /** The values of the literals. The time and the place to continue after follow them. */
  readonly literals: readonly Comparable[]
  /** The questions about values that are not literals. */
  readonly looks: readonly Look[]
  /** The parameters, of which only slots for other values than literals are left. */
  readonly parameters: readonly unknown[]
}

/** How many statements are kept, and how many of the same form. */
const MOST = 2_000
const MOST_ALIKE = 8
/** How many statements are kept for the same condition. */
const MOST_REPEATS = 64
// Longer ones hold lists, which hardly come again.
const LONGEST = 6_000

/**
 * Statements that were made before, to be used again with other values. What depends on the form of conditions is worked out once. A
 * statement is used again only if all that its SQL depends on is the same.
 */
export class Plans {
  readonly #plans = new Map<string, readonly Plan[]>()
  /** By the first condition: the rules of a person are the same node in each of their calls. */
  readonly #repeats = new WeakMap<ConditionNode, Map<string, Repeat>>()
  readonly #seen = new WeakSet<ConditionNode>()
  #count = 0

  /** Runs the statement of a call. */
  run(db: Kysely<any>, call: Call): Promise<QueryResult<Row>> {
    const { sql, parameters } = this.#repeated(call) ?? this.#statement(call)
    return db.executeQuery<Row>(CompiledQuery.raw(sql, parameters as unknown[]))
  }

  /** The statement, if it was used before with the same conditions: their literals have the same values, so only the others are looked at. */
  #repeated(call: Call): Pick<Plan, 'sql' | 'parameters'> | undefined {
    const { conditions } = call
    const repeat = this.#repeats.get(conditions[0] as ConditionNode)?.get(formOf(call))
    if (repeat === undefined || !conditions.every((condition, at) => condition === repeat.conditions[at])) return undefined
    const values = valuesOf(repeat.literals, call)
    return agree(repeat.looks, values) ? { sql: repeat.plan.sql, parameters: filled(repeat.parameters, values) } : undefined
  }

  #statement(call: Call): Pick<Plan, 'sql' | 'parameters'> {
    const { conditions, make } = call
    const shapes = conditions.map(shapeOf)
    const literals = shapes.flatMap((shape) => shape.literals)
    const values = new Values(literals, call)
    const key = [formOf(call), ...shapes.map(({ text }) => text), values.sameness].join('\n')
    const known = this.#plans.get(key) ?? []
    let plan = known.find(({ looks }) => agree(looks, values.all))
    if (plan === undefined) {
      const { sql, parameters } = make(values).compile()
      plan = { sql, parameters, looks: distinct(values.looks) }
      if (!values.isForAnyKey) return { sql, parameters: filled(parameters, values.all) }
      if (key.length <= LONGEST) this.#keep(key, [...known, plan])
    }
    this.#repeat(call, plan, values.all.slice(0, literals.length))
    return { sql: plan.sql, parameters: filled(plan.parameters, values.all) }
  }

  #repeat(call: Call, plan: Plan, literals: readonly Comparable[]): void {
    const { conditions } = call
    // Many conditions come only once, such as a filter.
    const isNew = conditions.some((condition) => !this.#seen.has(condition))
    for (const condition of conditions) this.#seen.add(condition)
    if (isNew) return
    const first = conditions[0] as ConditionNode
    const before = this.#repeats.get(first)
    const repeats = before === undefined || before.size >= MOST_REPEATS ? new Map<string, Repeat>() : before
    this.#repeats.set(first, repeats)
    const isOther = ({ at }: { readonly at: number }) => at >= literals.length
    const parameters = plan.parameters.map((one) => (one instanceof Slot && !isOther(one) ? one.from(literals) : one))
    repeats.set(formOf(call), { conditions, plan, literals, looks: plan.looks.filter(isOther), parameters })
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

/** The form of a call with that of its other values: which of the place are missing, and the types that they and the key have. */
function formOf({ form, after = [], key }: Call): string {
  const place = after.length === 0 ? '' : `\n${after.map((one) => (one === null ? 'null' : typeof one)).join()}`
  return key === undefined ? form + place : `${form}${place}\n${key.map(properTypes).join()}`
}

/** All values of a call. Those of the key are the last. */
function valuesOf(literals: readonly Comparable[], { now, after = [], key }: Call): readonly Comparable[] {
  const values = [...literals, now, ...after.map((place) => place ?? '')]
  if (key !== undefined) values.push(...key.map(comparable))
  return values
}

function comparable({ value, type }: LiteralNode): Comparable {
  return comparableOf(value as Comparable, type)
}

function agree(looks: readonly Look[], values: readonly Comparable[]): boolean {
  return looks.every(({ at, ask, answer }) => ask(values[at] as Comparable) === answer)
}

function filled(parameters: readonly unknown[], values: readonly Comparable[]): readonly unknown[] {
  return parameters.map((one) => (one instanceof Slot ? one.from(values) : one))
}

function distinct(looks: readonly Look[]): readonly Look[] {
  return looks.filter(
    ({ at, ask, answer }, n) => !looks.slice(0, n).some((one) => one.at === at && one.ask === ask && one.answer === answer),
  )
}
