import type { Predicate } from './context.js'
import { type KnownField, laneFor } from './inline-cache.js'
import { type CompareNode, type ConditionNode, type ListChangeNode, typeOf } from './nodes.js'
import { type Comparing, changedBy, listSides, operatorOf } from './operators.js'
import { type ListReader, listReader, type Reader, reader, wholeList } from './readers.js'
import { type Comparable, toComparable, toComparables } from './value.js'

const never: Predicate = () => false

/** Whether one list is the other plus one occurrence of a value. An improper value in either list equals nothing, so there is no match. */
export function compileListChange({ by, list, from, item }: ListChangeNode): Predicate {
  const type = typeOf(list)
  if (type === 'other') return never
  const [longer, shorter] = (by === 'adds' ? [list, from] : [from, list]).map((term) => wholeList(term, type))
  const wanted = reader(item)
  return (record, env) => {
    const more = longer?.(record, env)
    const less = shorter?.(record, env)
    const value = wanted(record, env)
    if (more === undefined || less === undefined || value === undefined) return false
    return changedBy(more, less, value)
  }
}

function comparison({ left, right, by }: CompareNode): Predicate {
  const { compare } = operatorOf(by)
  const [lefts, rights] = listSides(by)
  if (lefts && rights) return someOfBoth(listReader(left), listReader(right), compare)
  if (lefts) return someInList(reader(right), listReader(left), compare)
  if (rights) return someInList(reader(left), listReader(right), (element, one) => compare(one, element))
  const readLeft = reader(left)
  const readRight = reader(right)
  return (record, env) => {
    const a = readLeft(record, env)
    if (a === undefined) return false
    const b = readRight(record, env)
    return b !== undefined && compare(a, b)
  }
}

function someInList(item: Reader, list: ListReader, compare: Comparing): Predicate {
  return (record, env) => {
    const wanted = item(record, env)
    return wanted !== undefined && (list(record, env)?.some((element) => compare(element, wanted)) ?? false)
  }
}

function someOfBoth(left: ListReader, right: ListReader, compare: Comparing): Predicate {
  return (record, env) => {
    const others = right(record, env)
    return others !== undefined && (left(record, env)?.some((one) => others.some((other) => compare(one, other))) ?? false)
  }
}

/** The most common leaves: a field against known values. They need no checks, because only a proper value can equal one. */
function knownField(node: ConditionNode): { readonly name: string; readonly values: readonly Comparable[] } | undefined {
  if (node.kind !== 'compare' || operatorOf(node.by).lookup !== 'equality') return undefined
  const [field, known] = node.right.kind === 'field' ? [node.right, node.left] : [node.left, node.right]
  if (field.kind !== 'field' || field.of !== 'record' || field.path.length !== 1 || field.list || field.type === 'time') return undefined
  if (known.kind !== 'literal' || known.value === null) return undefined
  const given = known.list ? toComparables(known.value, known.type) : [toComparable(known.value, known.type)]
  const { type } = field
  if (type === 'other') return undefined
  const values = (given ?? []).filter((value): value is Comparable => value !== undefined && toComparable(value, type) !== undefined)
  return { name: field.path[0] as string, values }
}

/** Compiles a comparison to a function. */
export function compileCompare(node: CompareNode): Predicate {
  const field = knownField(node)
  if (field === undefined) return comparison(node)
  const { name, values } = field
  if (values.length === 0) return never
  return values.length > 2 ? laneFor(name).among(name, new Set(values)) : laneFor(name).any1(knownOf(name, values))
}

function knownOf(name: string, values: readonly Comparable[]): KnownField {
  return { name, one: values[0], other: values[1] ?? values[0] }
}

/** Two or three such leaves joined by `or`, which is what most rules become for one person. */
export function compileAnyKnown(of: readonly ConditionNode[]): Predicate | undefined {
  if (of.length !== 2 && of.length !== 3) return undefined
  const fields = of.map(knownField)
  if (!fields.every((field) => field !== undefined && (field.values.length === 1 || field.values.length === 2))) return undefined
  const [a, b, c] = fields.map((field) => field && knownOf(field.name, field.values)) as [KnownField, KnownField, KnownField | undefined]
  return c === undefined ? laneFor(`${a.name} ${b.name}`).any2(a, b) : laneFor(`${a.name} ${b.name} ${c.name}`).any3(a, b, c)
}
