type Test = (record: Readonly<Record<string, unknown>>) => boolean

/** A field that must hold one of two values. With one value, it is given twice. */
export interface KnownField {
  readonly name: string
  readonly one: unknown
  readonly other: unknown
}

/** Tests of fields against known values: up to three fields joined by `or`, or one field against many values. */
interface Lane {
  any1(a: KnownField): Test
  any2(a: KnownField, b: KnownField): Test
  any3(a: KnownField, b: KnownField, c: KnownField): Test
  among(name: string, values: ReadonlySet<unknown>): Test
}

// A JavaScript engine keeps what it learns about a property access with its place in the source text. One shared `record[name]` is reached
// with every field name and stays slow. Several copies of the same text give each set of fields its own place, which is twice as fast on
// long arrays (bench/filter.ts). The copies must stay identical.
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

/** The copy for these fields: the same names always get the same one, so that all people share it. */
export function laneFor(names: string): Lane {
  let at = laneOf.get(names)
  if (at === undefined) {
    if (laneOf.size >= MOST) laneOf.clear()
    at = laneOf.size % LANES.length
    laneOf.set(names, at)
  }
  return LANES[at] as Lane
}
