import {
  type CompareNode,
  type ConditionNode,
  type FieldNode,
  type ListChangeNode,
  type SomeNode,
  sameTerm,
  type TermNode,
} from './nodes.js'
import { leavesOfOver } from './walk.js'

/** A comparison, or a `some`, that would come out false for something missing, and so widen what somebody may do. */
export interface Hanging {
  /** What can be missing. */
  readonly term: TermNode
  readonly comparison: Comparing
}

/**
 * Finds comparisons whose *false* would make a condition true although something is missing: those under `not`, where
 * the author has not said what a missing value means (by `orElse`, `isPresent` or `isMissing`). So does a `some` under
 * `not` that goes by something missing. That there are no records to look through is no absence: it is an answer.
 *
 * For each term that can be missing the condition is folded as if it were. Where the outcome still depends on a
 * comparison of that term under `not`, the comparison is reported; where a test of presence settles it, all is said.
 */
export function hangingOnAbsence(node: ConditionNode): Hanging[] {
  return negated(node, false, NO_BINDERS).flatMap(({ asked, binders }) => {
    const ways =
      asked.kind !== 'some'
        ? sidesOf(asked).flatMap((term) => waysToMiss(term, binders))
        : [...leavesOfOver(asked.over).flatMap((leaf) => waysToMiss(leaf, binders)), ...wayToMissOne(asked, binders)]
    const hanging = ways.find(({ missing }) => fold(node, false, asked, missing, NO_BINDERS).hangs)
    return hanging === undefined ? [] : [{ term: hanging.term, comparison: asked }]
  })
}

/** What is false where something that it asks for is missing. */
type Comparing = CompareNode | ListChangeNode | SomeNode

function sidesOf(node: CompareNode | ListChangeNode): readonly TermNode[] {
  return node.kind === 'compare' ? [node.left, node.right] : [node.list, node.from, node.item]
}

/** The `some` that each number stands for at a place in a condition. */
type Binders = ReadonlyMap<number, SomeNode>
const NO_BINDERS: Binders = new Map()

type Missing = (term: TermNode | SomeNode, binders: Binders) => boolean

/** One way in which a term can come to be missing. */
interface Way {
  /** The place that lacks a value. */
  readonly term: TermNode
  readonly missing: Missing
}

function waysToMiss(term: TermNode, binders: Binders): readonly Way[] {
  const justThis: Way = {
    term,
    missing: (other, there) => other.kind !== 'some' && sameTerm(other, term) && sameRecord(other, there, term, binders),
  }
  switch (term.kind) {
    case 'field': {
      // Fields of a linked record are missing together, where there is none.
      const linked = (term.via ?? []).map((_, at): Way => {
        const steps = (term.via ?? []).slice(0, at + 1).map(({ name }) => name)
        return { term, missing: (other, there) => leadsBy(other, there, { term, binders }, steps) }
      })
      return term.optional ? [justThis, ...linked] : linked
    }
    case 'claim': {
      // Claims that the shape requires are missing only together: all of them for a visitor, and those of a linked record.
      const visitor: Way = { term, missing: (other) => other.kind === 'claim' }
      const linked = Array.from({ length: term.links ?? 0 }, (_, at): Way => {
        const steps = term.path.slice(0, at + 1)
        return { term, missing: (other) => other.kind === 'claim' && steps.every((step, index) => other.path[index] === step) }
      })
      return [...(term.optional ? [justThis] : []), ...linked, visitor]
    }
    case 'orElse':
      return waysToMiss(term.term, binders).flatMap((first) =>
        waysToMiss(term.otherwise, binders).map((second) => ({
          term: first.term,
          missing: (other: TermNode | SomeNode, there: Binders) => first.missing(other, there) || second.missing(other, there),
        })),
      )
    case 'literal':
    case 'now':
    case 'forever':
      return []
  }
}

/** A link to one may lead to nothing, even where the field that it goes by has a value. */
function wayToMissOne(node: SomeNode, binders: Binders): readonly Way[] {
  const start = startOf(node)
  if (start === undefined) return []
  const { term, steps } = start
  return [{ term, missing: (other, there) => leadsBy(other, there, { term, binders }, steps) }]
}

/** Where a `some` over a link to one starts, as a field of the record that it leads to, with the links on the way. */
function startOf({ over }: SomeNode): { readonly term: FieldNode; readonly steps: readonly string[] } | undefined {
  const first = over.kind === 'records' && over.one ? over.by[0] : undefined
  if (first?.from.kind !== 'field' || over.kind !== 'records' || over.name === undefined) return undefined
  const { of, via = [], ...place } = first.from
  const link = { name: over.name, to: over.type, by: [{ to: first.to, from: { path: place.path, type: first.to.type } }] }
  const term: FieldNode = { kind: 'field', of, via: [...via, link], path: first.to.path, type: first.to.type }
  return { term, steps: [...via.map(({ name }) => name), over.name] }
}

/** Whether a field or a `some` is reached by these links, from the same record. */
function leadsBy(
  other: TermNode | SomeNode,
  there: Binders,
  start: { readonly term: FieldNode; readonly binders: Binders },
  steps: readonly string[],
): boolean {
  const field = other.kind === 'some' ? startOf(other)?.term : other
  if (field?.kind !== 'field' || !sameRecord(field, there, start.term, start.binders)) return false
  return steps.every((step, at) => field.via?.[at]?.name === step)
}

function sameRecord(a: TermNode, ofA: Binders, b: TermNode, ofB: Binders): boolean {
  if (a.kind !== 'field' || b.kind !== 'field') return true
  return a.of === b.of && (typeof a.of !== 'number' || ofA.get(a.of) === ofB.get(a.of))
}

function isAbsent(term: TermNode, missing: Missing, binders: Binders): boolean {
  if (term.kind === 'orElse') return isAbsent(term.term, missing, binders) && isAbsent(term.otherwise, missing, binders)
  return (term.kind === 'literal' && term.value === null) || missing(term, binders)
}

interface Asked {
  readonly asked: Comparing
  readonly binders: Binders
}

function negated(node: ConditionNode, negative: boolean, binders: Binders): Asked[] {
  switch (node.kind) {
    case 'compare':
    case 'listChange':
      return negative ? [{ asked: node, binders }] : []
    case 'some': {
      const inside = negated(node.of, negative, new Map(binders).set(node.each, node))
      return negative ? [{ asked: node, binders }, ...inside] : inside
    }
    case 'not':
      return negated(node.of, !negative, binders)
    case 'named':
      return negated(node.of, negative, binders)
    case 'allOf':
    case 'anyOf':
      return node.of.flatMap((part) => negated(part, negative, binders))
    case 'constant':
    case 'presence':
      return []
  }
}

interface Folded {
  /** The outcome, where it is settled. */
  readonly value: boolean | undefined
  /** The outcome depends on the comparison in question. */
  readonly hangs: boolean
}

const OPEN: Folded = { value: undefined, hangs: false }

function fold(node: ConditionNode, negative: boolean, asked: Comparing, missing: Missing, binders: Binders): Folded {
  const absent = (term: TermNode) => isAbsent(term, missing, binders)
  switch (node.kind) {
    case 'constant':
      return { value: node.value, hangs: false }
    case 'named':
      return fold(node.of, negative, asked, missing, binders)
    case 'not': {
      const of = fold(node.of, !negative, asked, missing, binders)
      return { value: of.value === undefined ? undefined : !of.value, hangs: of.hangs }
    }
    case 'presence':
      return absent(node.term) ? { value: !node.present, hangs: false } : OPEN
    case 'compare':
    case 'listChange':
      if (!sidesOf(node).some(absent)) return OPEN
      return negative && node === asked ? { value: undefined, hangs: true } : { value: false, hangs: false }
    case 'some': {
      if (missing(node, binders) || leavesOfOver(node.over).some(absent)) {
        return negative && node === asked ? { value: undefined, hangs: true } : { value: false, hangs: false }
      }
      const of = fold(node.of, negative, asked, missing, new Map(binders).set(node.each, node))
      return of.value === false ? of : { value: undefined, hangs: of.hangs }
    }
    case 'allOf':
    case 'anyOf': {
      const decisive = node.kind === 'anyOf'
      const parts = node.of.map((part) => fold(part, negative, asked, missing, binders))
      if (parts.some((part) => part.value === decisive)) return { value: decisive, hangs: false }
      if (parts.every((part) => part.value === !decisive)) return { value: !decisive, hangs: false }
      return { value: undefined, hangs: parts.some((part) => part.hangs) }
    }
  }
}
