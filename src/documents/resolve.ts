import {
  type AncestorsNode,
  allOfNode,
  anyOfNode,
  asRecord,
  type Comparable,
  type ConditionNode,
  compareNode,
  constant,
  equality,
  instantText,
  isList,
  isSelfContained,
  type JoinNode,
  joinsOf,
  type LiteralNode,
  notNode,
  onLinked,
  type PlaceNode,
  type RecordsNode,
  type Row,
  type SomeNode,
  someNode,
  valuesAt,
} from '../condition/index.js'
import { DocumentError } from './error.js'

/** Finds the records of a type that match a condition without links, with some of their fields. */
export type FindRecords = (type: string, condition: ConditionNode, fields: readonly string[]) => Promise<readonly Row[]>

/** Replaces every link in a condition by the keys that it leads to, as they are stored now. @throws DocumentError */
export async function resolve(node: ConditionNode, find: FindRecords): Promise<ConditionNode> {
  switch (node.kind) {
    case 'allOf':
    case 'anyOf': {
      const parts: ConditionNode[] = []
      for (const part of node.of) parts.push(await resolve(part, find))
      return node.kind === 'allOf' ? allOfNode(parts) : anyOfNode(parts)
    }
    case 'not':
      return notNode(await resolve(node.of, find))
    case 'named':
      return resolve(node.of, find)
    case 'some':
      switch (node.over.kind) {
        case 'elements':
          return someNode(node.each, node.over, await resolve(node.of, find))
        case 'records':
          return linked(node, node.over, find)
        case 'ancestors':
          return above(node, node.over, find)
      }
      break
    case 'constant':
    case 'compare':
    case 'presence':
    case 'listChange':
      return node
  }
}

/** Finds the linked records that the condition selects on its own. A record then links to them if it holds one of their values. */
async function linked(node: SomeNode, over: RecordsNode, find: FindRecords): Promise<ConditionNode> {
  const { by, rest } = joinsOf(node, over, (from) => from.kind !== 'field')
  const open = by.filter(({ from }) => from.kind === 'field')
  const known = by.filter(({ from }) => from.kind !== 'field').map((join) => equality(join, node.each))
  const fits = allOfNode([...known, rest])
  if (!isSelfContained(fits, node.each)) throw new DocumentError('a comparison of a linked record with the one that leads to it')
  const own = asRecord(await resolve(fits, find), node.each)
  const rows = await find(over.type, own, [...new Set(open.map(({ to }) => to.path[0] as string))])
  const [only] = open
  const { least = 1 } = node
  if (only === undefined) return constant(rows.length >= least)
  if (least > 1) return leadsTo(only, valuesOften(only, open.length, rows, least))
  if (open.length === 1)
    return leadsTo(
      only,
      rows.flatMap((row) => valuesAt(row, only.to)),
    )
  const ways = rows.map((row) => allOfNode(open.map((join) => leadsTo(join, valuesAt(row, join.to)))))
  return anyOfNode(ways)
}

/** The values that enough of the rows have. */
function valuesOften({ to, from }: JoinNode, joins: number, rows: readonly Row[], least: number): Comparable[] {
  if (joins > 1 || isList(from)) throw new DocumentError('a count of records by several fields or a list')
  const counts = new Map<Comparable, number>()
  for (const row of rows) for (const value of new Set(valuesAt(row, to))) counts.set(value, (counts.get(value) ?? 0) + 1)
  return [...counts].flatMap(([value, count]) => (count >= least ? [value] : []))
}

/** Matches records that hold one of the values themselves. */
function leadsTo({ to, from }: JoinNode, values: readonly Comparable[]): ConditionNode {
  const written = [...new Set(values)].map((value) => (to.type === 'time' ? instantText(value as number) : value))
  const among: LiteralNode = { kind: 'literal', type: to.type, list: true, value: written }
  if (written.length === 0) return constant(false)
  return isList(from) ? compareNode(from, 'overlaps', among) : compareNode(from, 'isOneOf', among)
}

/** The chain above a record: finds every record below a matching one, step by step. */
async function above(node: SomeNode, over: AncestorsNode, find: FindRecords): Promise<ConditionNode> {
  const [step, first] = [over.link.by[0], over.by[0]]
  if (node.least !== undefined) throw new DocumentError('a count of the records above')
  if (over.link.by.length > 1 || step === undefined || step.from.list || over.by.length > 1 || first === undefined)
    throw new DocumentError('a chain by several fields or a list')
  const [key, self] = [over.keys[0], over.self[0]]
  if (over.keys.length > 1 || key === undefined || self === undefined)
    throw new DocumentError('a chain of records with keys of several fields')
  if (!isSelfContained(node.of, node.each)) throw new DocumentError('a comparison of a record with one above it')
  const fields = [key, step.to, step.from].map(({ path }) => path[0] as string)
  const fitting = await find(over.type, onLinked(over.link, 'record', asRecord(await resolve(node.of, find), node.each)), fields)
  const met = new Map<Comparable, Row>()
  for (let fresh = [...fitting]; fresh.length > 0; ) {
    for (const row of fresh) for (const value of valuesAt(row, key)) met.set(value, row)
    const below = leadsTo(
      { to: step.to, from: { kind: 'field', of: 'record', ...step.from } },
      fresh.flatMap((row) => valuesAt(row, step.to)),
    )
    fresh = (await find(over.type, onLinked(over.link, 'record', below), fields)).filter((row) =>
      valuesAt(row, key).some((value) => !met.has(value)),
    )
  }
  // Records found on the way are below a matching record. A record is not its own ancestor.
  const rows = [...met.values()]
  const fits = new Set(fitting.flatMap((row) => valuesAt(row, key)))
  const byTarget = new Map<Comparable, Row[]>()
  for (const row of rows) for (const value of valuesAt(row, step.to)) byTarget.set(value, [...(byTarget.get(value) ?? []), row])
  const found = (start: Row): Set<Comparable> => {
    const chain = new Set<Row>()
    for (let next = [start]; next.length > 0; ) {
      const [row, ...others] = next as [Row, ...Row[]]
      next = others
      if (chain.has(row)) continue
      chain.add(row)
      next.push(...valuesAt(row, step.from).flatMap((value) => byTarget.get(value) ?? []))
    }
    return new Set([...chain].flatMap((row) => valuesAt(row, key)).filter((value) => fits.has(value)))
  }
  const single: { row: Row; fit: Comparable }[] = []
  const several: Row[] = []
  for (const row of rows) {
    const keys = found(row)
    if (keys.size > 1) several.push(row)
    else if (keys.size === 1) single.push({ row, fit: [...keys][0] as Comparable })
  }
  const to = first.to
  const ways: ConditionNode[] = [
    leadsTo(
      first,
      several.flatMap((row) => valuesAt(row, to)),
    ),
  ]
  const rings = single.filter(({ row, fit }) => leadsBack(row, met.get(fit) as Row, step))
  const free = single.filter((one) => !rings.includes(one))
  ways.push(
    leadsTo(
      first,
      free.flatMap(({ row }) => valuesAt(row, to)),
    ),
  )
  for (const { row, fit } of rings) {
    const isSelf = compareNode(self, 'is', { kind: 'literal', type: key.type, value: fit } as LiteralNode)
    ways.push(allOfNode([leadsTo(first, valuesAt(row, to)), notNode(isSelf)]))
  }
  return anyOfNode(ways)
}

/** Whether the first step of the matching record leads to a record below it. */
function leadsBack(row: Row, fitting: Row, { to, from }: { readonly to: PlaceNode; readonly from: PlaceNode }): boolean {
  const targets = new Set(valuesAt(row, to))
  return valuesAt(fitting, from).some((value) => targets.has(value))
}
