/**
 * Numbers in an order that may change for one of them at a time: the first one is found and removed in logarithmic time. Source: J. Williams,
 * Algorithm 232: Heapsort, 1964.
 */
export class Heap {
  readonly #isBefore: (one: number, other: number) => boolean
  readonly #items: number[] = []
  /** Where each number is; undefined if it is not in the heap. */
  readonly #places: (number | undefined)[] = []

  constructor(isBefore: (one: number, other: number) => boolean) {
    this.#isBefore = isBefore
  }

  /** Adds a number, unless it is there. */
  add(item: number): void {
    if (this.#places[item] !== undefined) return
    this.#items.push(item)
    this.#places[item] = this.#items.length - 1
    this.#rise(this.#items.length - 1)
  }

  /** Has to be called for a number that comes earlier than before. */
  moved(item: number): void {
    const place = this.#places[item]
    if (place !== undefined) this.#rise(place)
  }

  /** Removes the first number. */
  take(): number | undefined {
    const [first] = this.#items
    const last = this.#items.pop()
    if (first === undefined || last === undefined) return undefined
    this.#places[first] = undefined
    if (this.#items.length > 0) {
      this.#put(last, 0)
      this.#sink(0)
    }
    return first
  }

  #put(item: number, place: number): void {
    this.#items[place] = item
    this.#places[item] = place
  }

  #rise(from: number): void {
    const item = this.#items[from] as number
    let place = from
    while (place > 0) {
      const above = (place - 1) >> 1
      const other = this.#items[above] as number
      if (!this.#isBefore(item, other)) break
      this.#put(other, place)
      place = above
    }
    this.#put(item, place)
  }

  #sink(from: number): void {
    const item = this.#items[from] as number
    let place = from
    for (;;) {
      const left = 2 * place + 1
      if (left >= this.#items.length) break
      const right = left + 1
      const isRight = right < this.#items.length && this.#isBefore(this.#items[right] as number, this.#items[left] as number)
      const below = isRight ? right : left
      const other = this.#items[below] as number
      if (!this.#isBefore(other, item)) break
      this.#put(other, place)
      place = below
    }
    this.#put(item, place)
  }
}
