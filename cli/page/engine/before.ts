// The matrices before a trial, computed once, and those with the trial.
import type { Ground, IndexCache } from 'pachter/internal/review'
import { type Situation, typesAsked, type Workings, workingsOf } from 'pachter/internal/review'
import { isNothing } from '../trial.js'
import { type Compared, compare, compareFew } from './differences.js'
import { type Drawing, draw } from './drawing.js'
import { redraw } from './redrawing.js'
import type { Trial } from './types.js'

/** A matrix with the trial, and its differences. */
export interface Tried {
  readonly drawing: Drawing
  readonly compared: Compared
}

export class Befores {
  readonly workings: Workings
  readonly #base: Ground
  readonly #indexes: IndexCache = new WeakMap()
  readonly #drawings = new Map<string, Drawing>()

  constructor(base: Ground) {
    this.#base = base
    this.workings = workingsOf(situationOf(base), this.#indexes)
  }

  /** The matrix before the trial. */
  drawing(type: string): Drawing {
    return found(this.#drawings, type, () => draw(this.workings, type))
  }

  workingsUnder(next: Trial, ground: Ground): Workings {
    return isNothing(next) ? this.workings : workingsOf(situationOf(ground), this.#indexes, this.workings)
  }

  /** The matrix of a type with a trial. Only what can differ is computed again. */
  under(type: string, next: Trial, ground: Ground, workings: Workings): Tried {
    const was = this.drawing(type)
    const touched = next.records.map((one) => one.type)
    const asked = typesAsked(this.#base.model, type, { asStored: true, claims: false })
    const isAsAWhole = next.off.length > 0 || touched.some((one) => asked.has(one))
    // If a person's viewpoint is the same, only changed records can make a difference.
    const isSame = (person: string) =>
      !isAsAWhole && Object.hasOwn(this.#base.people, person) && workings.view(person) === this.workings.view(person)
    if (isAsAWhole || !touched.includes(type)) {
      const drawing = draw(workings, type, { was, isSame })
      return { drawing, compared: compare(was, drawing) }
    }
    const redrawn = redraw(ground, type, was, this.workings)
    if (Object.keys(ground.people).every(isSame)) return { drawing: redrawn.drawing, compared: compareFew(was, redrawn) }
    const whole = draw(workings, type, { was: redrawn.drawing, isSame })
    return { drawing: whole, compared: compare(was, whole) }
  }
}

/** The input of a matrix. */
export function situationOf({ model, people, records, now }: Ground): Situation {
  return { model, people, records: records as Situation['records'], now }
}

/** A cached value by name, computed on first use. */
export function found<V>(known: Map<string, V>, name: string, make: () => V): V {
  if (!known.has(name)) known.set(name, make())
  return known.get(name) as V
}
