type Test = (record: Readonly<Record<string, unknown>>) => boolean

/** A field that has to hold one of two values (the same one twice where there is but one). */
export interface KnownField {
  readonly name: string
  readonly one: unknown
  readonly other: unknown
}

/** Tests of fields against values known beforehand: any of up to three, or one field against many values. */
interface Lane {
  any1(a: KnownField): Test
  any2(a: KnownField, b: KnownField): Test
  any3(a: KnownField, b: KnownField, c: KnownField): Test
  among(name: string, values: ReadonlySet<unknown>): Test
}

// A JavaScript engine keeps what it learns about a property access with the place in the source text. One shared
// `record[name]` would be reached with every field name and stay slow; the same text several times over lets each set of
// fields have a place of its own, which is worth a factor of two on long arrays (bench/filter.ts). Hence the copies:
// they must stay alike, and must stay copies.
const LANES: readonly Lane[] = [
  {
    any1({ name, one, other }) {
      return (record) => {
        const x = record[name]
        return x === one || x === other
      }
    },
    any2({ name: nameA, one: a1, other: a2 }, { name: nameB, one: b1, other: b2 }) {
      return (record) => {
        const a = record[nameA]
        if (a === a1 || a === a2) return true
        const b = record[nameB]
        return b === b1 || b === b2
      }
    },
    any3({ name: nameA, one: a1, other: a2 }, { name: nameB, one: b1, other: b2 }, { name: nameC, one: c1, other: c2 }) {
      return (record) => {
        const a = record[nameA]
        if (a === a1 || a === a2) return true
        const b = record[nameB]
        if (b === b1 || b === b2) return true
        const c = record[nameC]
        return c === c1 || c === c2
      }
    },
    among: (name, values) => (record) => values.has(record[name]),
  },
  {
    any1({ name, one, other }) {
      return (record) => {
        const x = record[name]
        return x === one || x === other
      }
    },
    any2({ name: nameA, one: a1, other: a2 }, { name: nameB, one: b1, other: b2 }) {
      return (record) => {
        const a = record[nameA]
        if (a === a1 || a === a2) return true
        const b = record[nameB]
        return b === b1 || b === b2
      }
    },
    any3({ name: nameA, one: a1, other: a2 }, { name: nameB, one: b1, other: b2 }, { name: nameC, one: c1, other: c2 }) {
      return (record) => {
        const a = record[nameA]
        if (a === a1 || a === a2) return true
        const b = record[nameB]
        if (b === b1 || b === b2) return true
        const c = record[nameC]
        return c === c1 || c === c2
      }
    },
    among: (name, values) => (record) => values.has(record[name]),
  },
  {
    any1({ name, one, other }) {
      return (record) => {
        const x = record[name]
        return x === one || x === other
      }
    },
    any2({ name: nameA, one: a1, other: a2 }, { name: nameB, one: b1, other: b2 }) {
      return (record) => {
        const a = record[nameA]
        if (a === a1 || a === a2) return true
        const b = record[nameB]
        return b === b1 || b === b2
      }
    },
    any3({ name: nameA, one: a1, other: a2 }, { name: nameB, one: b1, other: b2 }, { name: nameC, one: c1, other: c2 }) {
      return (record) => {
        const a = record[nameA]
        if (a === a1 || a === a2) return true
        const b = record[nameB]
        if (b === b1 || b === b2) return true
        const c = record[nameC]
        return c === c1 || c === c2
      }
    },
    among: (name, values) => (record) => values.has(record[name]),
  },
  {
    any1({ name, one, other }) {
      return (record) => {
        const x = record[name]
        return x === one || x === other
      }
    },
    any2({ name: nameA, one: a1, other: a2 }, { name: nameB, one: b1, other: b2 }) {
      return (record) => {
        const a = record[nameA]
        if (a === a1 || a === a2) return true
        const b = record[nameB]
        return b === b1 || b === b2
      }
    },
    any3({ name: nameA, one: a1, other: a2 }, { name: nameB, one: b1, other: b2 }, { name: nameC, one: c1, other: c2 }) {
      return (record) => {
        const a = record[nameA]
        if (a === a1 || a === a2) return true
        const b = record[nameB]
        if (b === b1 || b === b2) return true
        const c = record[nameC]
        return c === c1 || c === c2
      }
    },
    among: (name, values) => (record) => values.has(record[name]),
  },
  {
    any1({ name, one, other }) {
      return (record) => {
        const x = record[name]
        return x === one || x === other
      }
    },
    any2({ name: nameA, one: a1, other: a2 }, { name: nameB, one: b1, other: b2 }) {
      return (record) => {
        const a = record[nameA]
        if (a === a1 || a === a2) return true
        const b = record[nameB]
        return b === b1 || b === b2
      }
    },
    any3({ name: nameA, one: a1, other: a2 }, { name: nameB, one: b1, other: b2 }, { name: nameC, one: c1, other: c2 }) {
      return (record) => {
        const a = record[nameA]
        if (a === a1 || a === a2) return true
        const b = record[nameB]
        if (b === b1 || b === b2) return true
        const c = record[nameC]
        return c === c1 || c === c2
      }
    },
    among: (name, values) => (record) => values.has(record[name]),
  },
  {
    any1({ name, one, other }) {
      return (record) => {
        const x = record[name]
        return x === one || x === other
      }
    },
    any2({ name: nameA, one: a1, other: a2 }, { name: nameB, one: b1, other: b2 }) {
      return (record) => {
        const a = record[nameA]
        if (a === a1 || a === a2) return true
        const b = record[nameB]
        return b === b1 || b === b2
      }
    },
    any3({ name: nameA, one: a1, other: a2 }, { name: nameB, one: b1, other: b2 }, { name: nameC, one: c1, other: c2 }) {
      return (record) => {
        const a = record[nameA]
        if (a === a1 || a === a2) return true
        const b = record[nameB]
        if (b === b1 || b === b2) return true
        const c = record[nameC]
        return c === c1 || c === c2
      }
    },
    among: (name, values) => (record) => values.has(record[name]),
  },
]

const laneOf = new Map<string, number>()
const MOST = 10_000

/** The lane for these fields: always the same for the same names, so that every person's copy of a rule shares it. */
export function laneFor(names: string): Lane {
  let at = laneOf.get(names)
  if (at === undefined) {
    if (laneOf.size >= MOST) laneOf.clear()
    at = laneOf.size % LANES.length
    laneOf.set(names, at)
  }
  return LANES[at] as Lane
}
