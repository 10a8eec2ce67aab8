import { type Env, type EvaluationContext, LinksError, newContext, type Predicate, type Row } from './context.js'
import { inSmallLetters } from './linked.js'
import { joinsOf } from './lower.js'
import {
  type AncestorsNode,
  type ConditionNode,
  type ElementsNode,
  isList,
  type RecordsNode,
  type SomeNode,
  type TermNode,
} from './nodes.js'
import { type Listed, listReader, rawReader, reader } from './readers.js'
import { isReached } from './removal.js'
import type { Comparable } from './value.js'
import { isSelfContained } from './walk.js'

function look(context: EvaluationContext, each: number, row: Row): void {
  context.looking[each] = row
  context.note?.(each, row)
}

type Compile = (node: ConditionNode) => Predicate

/** Compiles a `some`. `compile` compiles the condition inside it. */
export function compileSome(node: SomeNode, compile: Compile): Predicate {
  const { over } = node
  switch (over.kind) {
    case 'elements':
      return someElement(node, over, compile)
    case 'records':
      return someRecord(node, over, compile)
    case 'ancestors':
      return someAbove(node, over, compile)
  }
}

function someElement({ each, of }: SomeNode, over: ElementsNode, compile: Compile): Predicate {
  const fits = compile(of)
  const list = rawReader(over.list)
  return inContext((record, env, context) => {
    const elements = list(record, env)
    if (!Array.isArray(elements)) return false
    return elements.some((element) => {
      if (typeof element !== 'object' || element === null || Array.isArray(element)) return false
      look(context, each, element)
      return fits(record, env)
    })
  })
}

function someRecord(node: SomeNode, over: RecordsNode, compile: Compile): Predicate {
  const { each } = node
  const { by, rest } = joinsOf(node, over)
  const fits = compile(rest)
  const places = by.map(({ to }) => to)
  const wanted = by.map(({ to, from }) => wantedReader(from, to.ignoringCase))
  const closed = isSelfContained(rest, each)
  return inContext((record, env, context) => {
    const links = env.links
    if (links === undefined) throw new LinksError(over.type)
    if (node.least !== undefined) {
      return areEnough(node.least, wanted, record, env, (values) =>
        links.find(over.type, places, values).filter((row) => {
          look(context, each, row)
          return fits(record, env)
        }),
      )
    }
    return eachOf(wanted, record, env, (values) => {
      const found = () =>
        links.find(over.type, places, values).some((row) => {
          look(context, each, row)
          return fits(record, env)
        })
      return closed ? once(context, node, values, found) : found()
    })
  })
}

/** Whether enough records are found. Different values lead to different records, since no record is found by two of them. */
function areEnough(
  least: number,
  wanted: readonly ((record: Row, env: Env) => Listed)[],
  record: Row,
  env: Env,
  find: (values: readonly Comparable[]) => readonly Row[],
): boolean {
  const met = new Set<string>()
  let count = 0
  return eachOf(wanted, record, env, (values) => {
    const name = JSON.stringify(values)
    if (met.has(name)) return false
    met.add(name)
    count += find(values).length
    return count >= least
  })
}

type InContext = (record: Row, env: Env, context: EvaluationContext) => boolean

function inContext(test: InContext): Predicate {
  return (record, env) => {
    if (env.context !== undefined) return test(record, env, env.context)
    const context = newContext()
    return test(record, { ...env, context }, context)
  }
}

/** The result for one linked record is reused for every record that leads to it: n records with m linked ones cost n + m. */
function once({ known }: EvaluationContext, node: object, values: readonly Comparable[], find: () => boolean): boolean {
  const found = known.get(node) ?? new Map<Comparable, boolean>()
  known.set(node, found)
  const key = values.length === 1 ? (values[0] as Comparable) : JSON.stringify(values)
  const answer = found.get(key) ?? find()
  found.set(key, answer)
  return answer
}

/** Reads the values that places must equal: one, any of a list, or none. */
function wantedReader(from: TermNode, ignoringCase?: true): (record: Row, env: Env) => Listed {
  if (ignoringCase) {
    const read = wantedReader(from)
    return (record, env) => read(record, env).map(inSmallLetters)
  }
  if (isList(from)) {
    const list = listReader(from)
    return (record, env) => list(record, env) ?? []
  }
  const single = reader(from)
  return (record, env) => {
    const value = single(record, env)
    // No record holds forever.
    return value === undefined || value === Number.POSITIVE_INFINITY ? [] : [value]
  }
}

/** Whether the test holds for some choice of one value from each reader. */
function eachOf(
  wanted: readonly ((record: Row, env: Env) => Listed)[],
  record: Row,
  env: Env,
  test: (values: readonly Comparable[]) => boolean,
): boolean {
  const [first] = wanted
  if (wanted.length === 1) return (first as NonNullable<typeof first>)(record, env).some((value) => test([value]))
  let ways: Listed[] = [[]]
  for (const read of wanted) {
    const values = read(record, env)
    ways = ways.flatMap((way) => values.map((value) => [...way, value]))
  }
  return ways.some(test)
}

/** Reads a key; one of several fields as one text. */
function keyReader(parts: readonly TermNode[]): (record: Row, env: Env) => unknown {
  const readers = parts.map((part) => reader(part))
  const [only] = readers
  if (only !== undefined && readers.length === 1) return only
  return (record, env) => JSON.stringify(readers.map((read) => read(record, env) ?? null))
}

/** Walks up a chain. It stops at a record that it has met before, or at the starting record. */
function someAbove(node: SomeNode, { type, by, link, keys, self }: AncestorsNode, compile: Compile): Predicate {
  const { least = 1 } = node
  const fits = compile(node.of)
  const first = by.map(({ from }) => wantedReader(from))
  const places = by.map(({ to }) => to)
  const next = link.by.map(({ from }) => wantedReader({ kind: 'field', of: node.each, ...from }))
  const ownKey = keyReader(self)
  const keyOf = keyReader(keys.map((place) => ({ kind: 'field', of: node.each, ...place })))
  return inContext((record, env, context) => {
    const links = env.links
    if (links === undefined) throw new LinksError(type)
    const met = new Set([ownKey(record, env)])
    const ahead: (readonly Comparable[])[] = []
    const goOn = (wanted: typeof first) =>
      eachOf(wanted, record, env, (values) => {
        ahead.push(values)
        return false
      })
    let count = 0
    goOn(first)
    for (let values = ahead.pop(); values !== undefined; values = ahead.pop()) {
      for (const row of links.find(type, places, values)) {
        if (!isReached(link, row)) continue
        // In a cycle, no record is tested twice, and the starting record is not tested.
        context.looking[node.each] = row
        const own = keyOf(record, env)
        if (met.has(own)) continue
        met.add(own)
        look(context, node.each, row)
        if (fits(record, env)) count += 1
        if (count >= least) return true
        goOn(next)
      }
    }
    return false
  })
}
