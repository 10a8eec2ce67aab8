type Test = (record: Readonly<Record<string, unknown>>) => boolean
type Judged = (record: Readonly<Record<string, unknown>>, env: never) => boolean

interface Lane {
  /** The field holds this very value. */
  is(name: string, value: unknown): Test
  /** The field holds one of two values. */
  isEither(name: string, one: unknown, other: unknown): Test
  /** The field holds one of many values. */
  isAmong(name: string, values: ReadonlySet<unknown>): Test
  any2<P extends Judged>(a: P, b: P): Judged
  any3<P extends Judged>(a: P, b: P, c: P): Judged
  all2<P extends Judged>(a: P, b: P): Judged
}

// A JavaScript engine keeps what it learns about a property access or a call with the place in the source text.
// One shared `record[name]` would be reached with every field name and stay slow; the same text several times over lets
// each field have a place of its own, which is worth a factor of two on long arrays (bench/filter.ts). Hence the copies:
// they must stay alike, and must stay copies.
const LANES: readonly Lane[] = [
  {
    is: (name, value) => (record) => record[name] === value,
    isEither: (name, one, other) => (record) => record[name] === one || record[name] === other,
    isAmong: (name, values) => (record) => values.has(record[name]),
    any2: (a, b) => (record, env) => a(record, env) || b(record, env),
    any3: (a, b, c) => (record, env) => a(record, env) || b(record, env) || c(record, env),
    all2: (a, b) => (record, env) => a(record, env) && b(record, env),
  },
  {
    is: (name, value) => (record) => record[name] === value,
    isEither: (name, one, other) => (record) => record[name] === one || record[name] === other,
    isAmong: (name, values) => (record) => values.has(record[name]),
    any2: (a, b) => (record, env) => a(record, env) || b(record, env),
    any3: (a, b, c) => (record, env) => a(record, env) || b(record, env) || c(record, env),
    all2: (a, b) => (record, env) => a(record, env) && b(record, env),
  },
  {
    is: (name, value) => (record) => record[name] === value,
    isEither: (name, one, other) => (record) => record[name] === one || record[name] === other,
    isAmong: (name, values) => (record) => values.has(record[name]),
    any2: (a, b) => (record, env) => a(record, env) || b(record, env),
    any3: (a, b, c) => (record, env) => a(record, env) || b(record, env) || c(record, env),
    all2: (a, b) => (record, env) => a(record, env) && b(record, env),
  },
  {
    is: (name, value) => (record) => record[name] === value,
    isEither: (name, one, other) => (record) => record[name] === one || record[name] === other,
    isAmong: (name, values) => (record) => values.has(record[name]),
    any2: (a, b) => (record, env) => a(record, env) || b(record, env),
    any3: (a, b, c) => (record, env) => a(record, env) || b(record, env) || c(record, env),
    all2: (a, b) => (record, env) => a(record, env) && b(record, env),
  },
  {
    is: (name, value) => (record) => record[name] === value,
    isEither: (name, one, other) => (record) => record[name] === one || record[name] === other,
    isAmong: (name, values) => (record) => values.has(record[name]),
    any2: (a, b) => (record, env) => a(record, env) || b(record, env),
    any3: (a, b, c) => (record, env) => a(record, env) || b(record, env) || c(record, env),
    all2: (a, b) => (record, env) => a(record, env) && b(record, env),
  },
  {
    is: (name, value) => (record) => record[name] === value,
    isEither: (name, one, other) => (record) => record[name] === one || record[name] === other,
    isAmong: (name, values) => (record) => values.has(record[name]),
    any2: (a, b) => (record, env) => a(record, env) || b(record, env),
    any3: (a, b, c) => (record, env) => a(record, env) || b(record, env) || c(record, env),
    all2: (a, b) => (record, env) => a(record, env) && b(record, env),
  },
]

const laneOfField = new Map<string, number>()
let next = 0

/** The lane of a field: always the same one for the same name, so that each place in the text sees few names. */
export function laneFor(name: string): Lane {
  let at = laneOfField.get(name)
  if (at === undefined) {
    if (laneOfField.size > 10_000) laneOfField.clear()
    at = laneOfField.size % LANES.length
    laneOfField.set(name, at)
  }
  return LANES[at] as Lane
}

/** A lane for a combination, in turn. */
export function nextLane(): Lane {
  next = (next + 1) % LANES.length
  return LANES[next] as Lane
}
