import { Heap } from './heap.js'

/**
 * A literal: the number of a variable, negative if the variable is false. Variables count from 1.
 */
export type Literal = number

/** Literals of which at least one is true. */
export type Clause = readonly Literal[]

/** A step of a proof: a clause that was given, or one that follows from those before it. */
export interface ProofStep {
  readonly kind: 'given' | 'learned'
  readonly clause: Clause
}

/** `unknown`: the limit of conflicts was reached. */
export type Answer = 'satisfiable' | 'unsatisfiable' | 'unknown'

const UNASSIGNED = 0
const TRUE = 1
const FALSE = -1
/** After how many conflicts the search begins again, at first. */
const RESTART = 64
const DECAY = 1 / 0.95
const LARGEST = 1e100

/**
 * Decides whether clauses can hold together, by conflict-driven clause learning with two watched literals. Sources: J. Marques-Silva and K.
 * Sakallah, GRASP, 1999; M. Moskewicz et al., Chaff, 2001; N. Een and N. Sörensson, An Extensible SAT-solver, 2003. The same clauses in the
 * same order always give the same answer. Clauses may be added after an answer.
 */
export class Solver {
  readonly #values: number[] = [UNASSIGNED]
  readonly #levels: number[] = [0]
  readonly #reasons: (Clause | undefined)[] = [undefined]
  readonly #activity: number[] = [0]
  readonly #phases: boolean[] = [false]
  /** The clauses that watch a literal, by twice the variable, and one more if it is negative. */
  readonly #watches: Literal[][][] = [[], []]
  /** The variables that may be without a value: those that were in most of the last conflicts first. */
  readonly #order = new Heap((one, other) => {
    const [a, b] = [this.#activity[one] as number, this.#activity[other] as number]
    return a > b || (a === b && one < other)
  })
  readonly #trail: Literal[] = []
  /** Where on the trail each level begins. */
  readonly #limits: number[] = []
  #next = 0
  #increment = 1
  #contradicts = false
  #conflicts = 0
  readonly #steps: ProofStep[] = []

  /** A new variable, and the value that it is tried with first. */
  variable(first = false): Literal {
    this.#values.push(UNASSIGNED)
    this.#levels.push(0)
    this.#reasons.push(undefined)
    this.#activity.push(0)
    this.#phases.push(first)
    this.#watches.push([], [])
    this.#order.add(this.#values.length - 1)
    return this.#values.length - 1
  }

  /** How many conflicts there were so far. */
  get conflicts(): number {
    return this.#conflicts
  }

  /** All clauses so far, those that were given and those that were learned. */
  get steps(): readonly ProofStep[] {
    return this.#steps
  }

  /** Adds a clause. */
  add(clause: Clause): void {
    this.#steps.push({ kind: 'given', clause })
    this.#backTo(0)
    if (this.#contradicts) return
    const literals = [...new Set(clause)]
    if (literals.some((one) => literals.includes(-one) || this.#valueOf(one) === TRUE)) return
    this.#attach(literals.filter((one) => this.#valueOf(one) !== FALSE))
  }

  /** Whether a variable is true in the world that was found last. */
  holds(variable: Literal): boolean {
    return this.#valueOf(variable) === TRUE
  }

  /** Searches for values with which all clauses hold, for at most this many further conflicts. */
  solve(most: number): Answer {
    this.#backTo(0)
    const end = this.#conflicts + most
    let restart = RESTART
    let since = 0
    while (!this.#contradicts) {
      const conflict = this.#propagate()
      if (conflict !== undefined) {
        this.#conflicts += 1
        since += 1
        if (this.#limits.length === 0) break
        this.#learn(conflict)
        continue
      }
      if (this.#conflicts >= end) return 'unknown'
      if (since >= restart) {
        since = 0
        restart = Math.ceil(restart * 1.3)
        this.#backTo(0)
        continue
      }
      const decision = this.#decide()
      if (decision === undefined) return 'satisfiable'
      this.#limits.push(this.#trail.length)
      this.#assign(decision, undefined)
    }
    this.#contradicts = true
    this.#steps.push({ kind: 'learned', clause: [] })
    return 'unsatisfiable'
  }

  #valueOf(literal: Literal): number {
    const value = this.#values[Math.abs(literal)] as number
    return literal < 0 ? -value : value
  }

  #attach(literals: Literal[]): void {
    const [first, second] = literals
    if (first === undefined) {
      this.#contradicts = true
      return
    }
    if (second === undefined) {
      if (this.#valueOf(first) === UNASSIGNED) this.#assign(first, undefined)
      return
    }
    this.#watching(first).push(literals)
    this.#watching(second).push(literals)
  }

  #watching(literal: Literal): Literal[][] {
    return this.#watches[Math.abs(literal) * 2 + (literal < 0 ? 1 : 0)] as Literal[][]
  }

  #assign(literal: Literal, reason: Clause | undefined): void {
    const variable = Math.abs(literal)
    this.#values[variable] = literal > 0 ? TRUE : FALSE
    this.#levels[variable] = this.#limits.length
    this.#reasons[variable] = reason
    this.#trail.push(literal)
  }

  /** Assigns what follows. Returns a clause that does not hold, if there is one. */
  #propagate(): Clause | undefined {
    while (this.#next < this.#trail.length) {
      const literal = -(this.#trail[this.#next++] as Literal)
      const watching = this.#watching(literal)
      let kept = 0
      for (let at = 0; at < watching.length; at++) {
        const clause = watching[at] as Literal[]
        // The watched literals are the first two.
        if (clause[0] === literal) {
          clause[0] = clause[1] as Literal
          clause[1] = literal
        }
        const first = clause[0] as Literal
        if (this.#valueOf(first) === TRUE) {
          watching[kept++] = clause
          continue
        }
        const other = clause.findIndex((one, place) => place > 1 && this.#valueOf(one) !== FALSE)
        if (other > 0) {
          clause[1] = clause[other] as Literal
          clause[other] = literal
          this.#watching(clause[1]).push(clause)
          continue
        }
        watching[kept++] = clause
        if (this.#valueOf(first) === FALSE) {
          for (let rest = at + 1; rest < watching.length; rest++) watching[kept++] = watching[rest] as Literal[]
          watching.length = kept
          this.#next = this.#trail.length
          return clause
        }
        this.#assign(first, clause)
      }
      watching.length = kept
    }
    return undefined
  }

  /** Learns a clause from a conflict, up to the first unique implication point, and goes back to where it forces a value. */
  #learn(conflict: Clause): void {
    const seen = new Set<number>()
    const learned: Literal[] = []
    const level = this.#limits.length
    let open = 0
    let reason: Clause = conflict
    let at = this.#trail.length
    let pivot: Literal = 0
    do {
      for (const literal of reason) {
        const variable = Math.abs(literal)
        if (literal === pivot || seen.has(variable) || this.#levels[variable] === 0) continue
        seen.add(variable)
        this.#bump(variable)
        if (this.#levels[variable] === level) open += 1
        else learned.push(literal)
      }
      do at -= 1
      while (!seen.has(Math.abs(this.#trail[at] as Literal)))
      pivot = this.#trail[at] as Literal
      seen.delete(Math.abs(pivot))
      reason = this.#reasons[Math.abs(pivot)] ?? []
      open -= 1
    } while (open > 0)
    const clause = [-pivot, ...learned]
    this.#increment *= DECAY
    this.#steps.push({ kind: 'learned', clause: [...clause] })
    this.#backTo(this.#levelBelow(clause))
    if (clause.length > 1) {
      this.#watching(clause[0] as Literal).push(clause)
      this.#watching(clause[1] as Literal).push(clause)
    }
    this.#assign(-pivot, clause)
  }

  /** The highest level of a learned clause besides that of its first literal, which becomes that of the second. */
  #levelBelow(clause: Literal[]): number {
    let highest = 0
    for (let at = 1; at < clause.length; at++) {
      const level = this.#levels[Math.abs(clause[at] as Literal)] as number
      if (level <= highest) continue
      highest = level
      const second = clause[1] as Literal
      clause[1] = clause[at] as Literal
      clause[at] = second
    }
    return highest
  }

  #bump(variable: number): void {
    this.#activity[variable] = (this.#activity[variable] as number) + this.#increment
    this.#order.moved(variable)
    if ((this.#activity[variable] as number) < LARGEST) return
    for (let one = 1; one < this.#activity.length; one++) this.#activity[one] = (this.#activity[one] as number) / LARGEST
    this.#increment /= LARGEST
  }

  #decide(): Literal | undefined {
    for (;;) {
      const variable = this.#order.take()
      if (variable === undefined) return undefined
      if (this.#values[variable] === UNASSIGNED) return this.#phases[variable] ? variable : -variable
    }
  }

  #backTo(level: number): void {
    if (this.#limits.length <= level) return
    const start = this.#limits[level] as number
    for (const literal of this.#trail.splice(start)) {
      const variable = Math.abs(literal)
      this.#phases[variable] = literal > 0
      this.#values[variable] = UNASSIGNED
      this.#reasons[variable] = undefined
      this.#order.add(variable)
    }
    this.#limits.length = level
    this.#next = start
  }
}
