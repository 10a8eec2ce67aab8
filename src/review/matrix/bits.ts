/** A set of numbers from 0 to a size, one bit each. */
export interface Bits {
  readonly size: number
  readonly words: Uint32Array
}

/** The empty set. */
export function noBits(size: number): Bits {
  return { size, words: new Uint32Array((size + 31) >>> 5) }
}

/** The set of all numbers below the size. */
export function allBits(size: number): Bits {
  const words = new Uint32Array((size + 31) >>> 5).fill(0xffffffff)
  if (size % 32 !== 0) words[words.length - 1] = (1 << (size % 32)) - 1
  return { size, words }
}

/** Adds a number to a set that is not shared yet. */
export function add({ words }: Bits, at: number): void {
  words[at >>> 5] = (words[at >>> 5] as number) | (1 << (at & 31))
}

/** Whether a number is in the set. */
export function has({ words }: Bits, at: number): boolean {
  return (((words[at >>> 5] ?? 0) >>> (at & 31)) & 1) === 1
}

/** The intersection of the sets; all numbers if there are no sets. */
export function intersection(size: number, sets: readonly Bits[]): Bits {
  const [first, ...others] = sets
  if (first === undefined) return allBits(size)
  if (others.length === 0) return first
  const words = first.words.slice()
  for (const other of others) for (let at = 0; at < words.length; at++) words[at] = (words[at] as number) & (other.words[at] as number)
  return { size, words }
}

/** The union of the sets. */
export function union(size: number, sets: readonly Bits[]): Bits {
  const [first, ...others] = sets
  if (first === undefined) return noBits(size)
  if (others.length === 0) return first
  const words = first.words.slice()
  for (const other of others) for (let at = 0; at < words.length; at++) words[at] = (words[at] as number) | (other.words[at] as number)
  return { size, words }
}

/** The complement of the set. */
export function complementOf({ size, words }: Bits): Bits {
  const all = allBits(size)
  for (let at = 0; at < words.length; at++) all.words[at] = (all.words[at] as number) & ~(words[at] as number)
  return all
}

/** The number of elements. */
export function count({ words }: Bits): number {
  let total = 0
  for (let at = 0; at < words.length; at++) {
    // Counts the bits of a word: pairs, then groups of four, then of eight.
    let word = words[at] as number
    if (word === 0) continue
    word -= (word >>> 1) & 0x55555555
    word = (word & 0x33333333) + ((word >>> 2) & 0x33333333)
    total += (((word + (word >>> 4)) & 0x0f0f0f0f) * 0x01010101) >>> 24
  }
  return total
}

/** Calls a function for each number in the set, in order. */
export function each({ words }: Bits, visit: (at: number) => void): void {
  for (let at = 0; at < words.length; at++) {
    let word = words[at] as number
    while (word !== 0) {
      const bit = 31 - Math.clz32(word & -word)
      visit(at * 32 + bit)
      word &= word - 1
    }
  }
}
