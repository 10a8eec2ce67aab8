import type { FieldFault } from './errors.js'

/** Limits for what a client may write into one record. */
export interface Limits {
  /** The most elements of a list and names of an object. Default: 1,000. */
  readonly items?: number
  /** The most values in everything that is sent. Default: 20,000. */
  readonly values?: number
  /**
   * The maximum depth of nested objects and lists. Default: 32. It also applies to trusted code, because databases cannot read back what is
   * nested deeper.
   */
  readonly depth?: number
  /** The most characters in everything that is sent. Default: 1,000,000. */
  readonly size?: number
}

export const DEFAULT_LIMITS: Required<Limits> = Object.freeze({ items: 1_000, values: 20_000, depth: 32, size: 1_000_000 })

/** The exceeded limits. It stops reading as soon as a limit is exceeded. */
export function overLimits(sent: unknown, { items, values, depth, size }: Required<Limits>): FieldFault[] {
  if (typeof sent !== 'object' || sent === null) return []
  const faults: FieldFault[] = []
  let characters = 0
  let count = 0
  const names = Object.keys(sent).length
  if (names > items) return [{ field: '', problem: `has ${names} fields; the limit is ${items}` }]
  for (const [field, value] of Object.entries(sent)) {
    const problem = problemOf(value)
    if (problem !== undefined) faults.push({ field, problem })
  }
  return faults

  function problemOf(value: unknown): string | undefined {
    const open: [value: unknown, deep: number][] = [[value, 1]]
    for (let next = open.pop(); next !== undefined; next = open.pop()) {
      const [one, deep] = next
      characters += typeof one === 'string' || one instanceof Uint8Array ? one.length : 8
      count++
      if (characters > size) return `the record holds more than ${size} characters`
      if (count > values) return `the record holds more than ${values} values`
      if (typeof one !== 'object' || one === null || isSingle(one)) continue
      if (deep > depth) return `is nested deeper than ${depth} levels`
      const inside = Object.entries(one)
      if (inside.length > items) return `holds ${inside.length} values; the limit is ${items}`
      for (const [name, inner] of inside) {
        characters += name.length
        open.push([inner, deep + 1])
      }
    }
    return undefined
  }
}

function isSingle(value: object): boolean {
  return value instanceof Date || value instanceof Uint8Array
}
