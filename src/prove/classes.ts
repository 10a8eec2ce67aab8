import type { Clause, Literal } from './solver.js'
import type { Value } from './terms.js'

/** Values that are equal, and the equalities that say so. */
export interface Classes {
  /** A number for each value, the same for equal ones. */
  of(value: Value): number
  /** The equalities that make two values equal. */
  path(from: Value, to: Value): Clause
  /** The known value of those that are equal to it. */
  known(value: Value): Value | undefined
}

/** Two values that are equal, and the literal that says so. */
interface Equality {
  readonly left: Value
  readonly right: Value
  readonly is: Literal
}

type Edges = ReadonlyMap<number, readonly { readonly to: Value; readonly is: Literal }[]>

/** The classes of values that equalities make. */
export function classesOf(values: readonly Value[], equalities: readonly Equality[]): Classes {
  const edges = new Map<number, { readonly to: Value; readonly is: Literal }[]>()
  for (const { left, right, is } of equalities) {
    edges.set(left.id, [...(edges.get(left.id) ?? []), { to: right, is }])
    edges.set(right.id, [...(edges.get(right.id) ?? []), { to: left, is }])
  }
  const classOf = new Map<number, number>()
  const known = new Map<number, Value>()
  for (const value of values) {
    if (classOf.has(value.id)) continue
    const open = [value]
    classOf.set(value.id, value.id)
    for (let one = open.pop(); one !== undefined; one = open.pop()) {
      if (one.known !== undefined && !known.has(value.id)) known.set(value.id, one)
      for (const { to } of edges.get(one.id) ?? []) {
        if (classOf.has(to.id)) continue
        classOf.set(to.id, value.id)
        open.push(to)
      }
    }
  }
  const of = (value: Value) => classOf.get(value.id) as number
  return { of, known: (value) => known.get(of(value)), path: (from, to) => pathIn(edges, from, to) }
}

function pathIn(edges: Edges, from: Value, to: Value): Clause {
  const cameBy = new Map<number, { readonly from: number; readonly is: Literal }>()
  const open = [from.id]
  for (let at = open.shift(); at !== undefined && at !== to.id; at = open.shift())
    for (const { to: next, is } of edges.get(at) ?? []) {
      if (next.id === from.id || cameBy.has(next.id)) continue
      cameBy.set(next.id, { from: at, is })
      open.push(next.id)
    }
  const path: Literal[] = []
  for (let at = to.id; at !== from.id; ) {
    const step = cameBy.get(at) as { readonly from: number; readonly is: Literal }
    path.push(step.is)
    at = step.from
  }
  return path
}
