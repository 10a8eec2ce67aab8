import type { Row } from '../../condition/index.js'
import type { Model } from '../../rulebook/index.js'
import { RequestError } from '../error.js'

const VISITORS = 'visitors'

/** Counts and limits the live lists of each person. */
export class Quota {
  readonly #limits: { readonly most: number; readonly each: number; readonly visitors: number }
  readonly #watchedBy = new Map<string, number>()
  #people = 0

  constructor(limits: { readonly most: number; readonly each: number; readonly visitors: number }) {
    this.#limits = limits
  }

  /** The number of subscribers. */
  get people(): number {
    return this.#people
  }

  /**
   * Identifies the person as far as known: the limit is per person, whatever their other claims are. `counted` tells visitors apart, and
   * those who act as another person. @throws RequestError
   */
  check({ me: { key } }: Model, me: unknown, counted: string | undefined): string {
    const { most, each, visitors } = this.#limits
    const later = { 'retry-after': '30' }
    if (this.#people >= most) throw new RequestError(503, 'Too many live lists are open. Try again later.', later)
    const known = me === null || me === undefined ? VISITORS : `person ${JSON.stringify((me as Row)[key])}`
    const asker = counted === undefined ? known : `other ${counted}`
    const allowed = asker === VISITORS ? visitors : each
    if ((this.#watchedBy.get(asker) ?? 0) >= allowed)
      throw new RequestError(429, `You have ${allowed} live lists open. Close some of the pages.`, later)
    return asker
  }

  begin(asker: string): void {
    this.#people++
    this.#watchedBy.set(asker, (this.#watchedBy.get(asker) ?? 0) + 1)
  }

  /** One subscriber left. */
  stop(asker: string): void {
    this.#people--
    const left = (this.#watchedBy.get(asker) ?? 1) - 1
    if (left > 0) this.#watchedBy.set(asker, left)
    else this.#watchedBy.delete(asker)
  }
}
