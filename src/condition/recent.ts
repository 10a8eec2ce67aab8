/** A bounded cache: the values that were not used for the longest time go first. */
export class Recent<T> {
  readonly #most: number
  readonly #values = new Map<string, T>()

  constructor(most: number) {
    this.#most = most
  }

  /** The value of a name, which is made if it is not kept. */
  get(name: string, make: () => T): T {
    const there = this.#values.has(name)
    const value = there ? (this.#values.get(name) as T) : make()
    // The one that was used last is at the end.
    if (there) this.#values.delete(name)
    else if (this.#values.size >= this.#most) this.#values.delete(this.#values.keys().next().value as string)
    this.#values.set(name, value)
    return value
  }
}
