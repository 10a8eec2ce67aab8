import type { Comparable } from '../condition/index.js'

/** The value of a parameter that is filled in whenever a kept statement is used again. */
export class Slot {
  readonly at: number
  readonly #write: (value: Comparable) => unknown

  constructor(at: number, write: (value: Comparable) => unknown) {
    this.at = at
    this.#write = write
  }

  /** The value of the parameter, from those of the new call. */
  from(values: readonly Comparable[]): unknown {
    return this.#write(values[this.at] as Comparable)
  }
}

/** What the SQL of a statement depends on, besides the form of its conditions: the answer to a question about one of the values. */
export interface Look {
  readonly at: number
  readonly ask: (value: Comparable) => unknown
  readonly answer: unknown
}

/** Collects the questions that were asked about values while they became SQL. */
export interface Trace {
  readonly looks: Look[]
}

/** Where a value comes from: its number among those of a call, and how it is made from that one. */
interface Source {
  readonly at: number
  readonly trace: Trace
  readonly map: (value: Comparable) => Comparable
}

/**
 * A value that is known while a condition becomes SQL. Its SQL may only depend on the answers of `look`, so that a statement can be kept and
 * used again with other values that have the same answers.
 */
export class Known {
  readonly #value: Comparable
  readonly #source: Source | undefined

  private constructor(value: Comparable, source?: Source) {
    this.#value = value
    this.#source = source
  }

  /** A value that is part of the statement. */
  static constant(value: Comparable): Known {
    return new Known(value)
  }

  /** A value of a call, by its number among those of the call. */
  static traced(value: Comparable, at: number, trace: Trace): Known {
    return new Known(value, { at, trace, map: (same) => same })
  }

  /** A value that is made from this one. */
  map(change: (value: Comparable) => Comparable): Known {
    const source = this.#source
    return new Known(change(this.#value), source && { ...source, map: (value) => change(source.map(value)) })
  }

  /** Asks something that the SQL depends on. */
  look<T extends string | number | boolean>(ask: (value: Comparable) => T): T {
    const answer = ask(this.#value)
    const source = this.#source
    source?.trace.looks.push({ at: source.at, ask: (value) => ask(source.map(value)), answer })
    return answer
  }

  /** What to pass as a parameter. */
  parameter(write: (value: Comparable) => unknown = (value) => value): unknown {
    const source = this.#source
    return source === undefined ? write(this.#value) : new Slot(source.at, (value) => write(source.map(value)))
  }
}
