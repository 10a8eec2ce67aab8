import { isGroup, type KnownRecords, recordBinding, valueAt, wholeRecord } from './bind-record.js'
import { combine } from './combine.js'
import type { Row } from './context.js'
import { frozen } from './freeze.js'
import { linkedAs, startOf } from './linked-as.js'
import { lower } from './lower.js'
import type { ClaimNode, ConditionNode, FieldNode, LiteralNode, OverNode, SomeNode } from './nodes.js'
import { type Binding, bind, type Looked } from './partial.js'
import { perNode } from './per-node.js'
import { instantText } from './time.js'
import { type Comparable, IMPROPER, inside, isMissing, type Scalar, toComparable, toComparables } from './value.js'
import { anyNode, type LeafNode, partsOfTerm, termsOf } from './visit.js'

/**
 * Simplifies a condition. Given the claims of a person (null for a visitor), every claim is replaced by its value, so that what remains
 * asks only about the record: often `TRUE` or `FALSE`, otherwise a few comparisons. Without claims, it simplifies what is the same for all
 * people. It never changes the answer for any record.
 */
export function simplify(node: ConditionNode, claims?: Row | null): ConditionNode {
  return frozen(claims === undefined ? bind(node, NOTHING_KNOWN) : specialised(node, person(claims)))
}

/** No knowledge: simplifies only what is the same for all people. */
const NOTHING_KNOWN: Binding = Object.freeze({ leaf: (leaf: LeafNode) => leaf, join: combine })

/** The claims of a person as literals. Each is converted once, however many rules read it. */
export type PersonClaims = Binding

/** Prepares claims for many conditions. */
export function person(me: Row | null): PersonClaims {
  const known = new Map<string, LiteralNode>()
  const who: PersonClaims = {
    leaf(leaf: LeafNode) {
      if (leaf.kind !== 'claim') return leaf
      const id = idOf(leaf)
      let literal = known.get(id)
      if (literal === undefined) {
        literal = claimValue(leaf, me)
        known.set(id, literal)
      }
      return literal
    },
    look: (node) => ownRecords(node, { me, who, rows: new Map() }),
    replace: withoutClaims,
    join: combine,
    // Standings are used by many rules, so their results for this person are cached.
    named: new Map(),
  }
  return who
}

/** The person, and those of their records that the enclosing conditions speak of. */
interface Within {
  readonly me: Row | null
  readonly who: PersonClaims
  readonly rows: KnownRecords
}

/** The person's records of a link to many, if they were read with the claims: then nothing is left to look for. */
function ownRecords(node: SomeNode, inside: Within): Looked | undefined {
  const { over } = node
  const rows = over.kind === 'records' && over.mine && inside.me !== null ? inside.me[over.name as string] : undefined
  return Array.isArray(rows) ? inEach(lowered(node) as SomeNode, rows, inside) : undefined
}

function inEach({ each, of }: SomeNode, rows: readonly Row[], inside: Within): Looked {
  return { each: rows.map((row) => knowing({ ...inside, rows: new Map(inside.rows).set(each, wholeRecord(row)) })), of, others: false }
}

/** The same of what is found from these records: the objects in their lists, and the records that their links to one lead to, if these were read. */
function furtherRecords(node: SomeNode, inside: Within): Looked | undefined {
  const rows = furtherRows(node.over, inside.rows)
  return Array.isArray(rows) ? inEach(node, rows, inside) : undefined
}

function objectsIn(list: FieldNode, rows: KnownRecords): readonly Row[] | undefined {
  const found = valueAt(list, rows)
  return found && (Array.isArray(found.value) ? found.value.filter(isGroup) : [])
}

function furtherRows(over: OverNode, rows: KnownRecords): unknown {
  switch (over.kind) {
    case 'elements':
      return objectsIn(over.list, rows)
    case 'records': {
      const start = over.one && startOf(over.by)
      return start && rows.get(start)?.row[linkedAs(over)]
    }
    case 'ancestors':
      return undefined
  }
}

/** Fields of linked records as parts of their own: of a known record, no field behind a link may be left. */
const lowered: (node: ConditionNode) => ConditionNode = perNode(lower)

/** What is known about the person and some of their records. */
function knowing(inside: Within): Binding {
  const record = recordBinding(inside.rows)
  return {
    leaf: (leaf, around) => (leaf.kind === 'field' ? record.leaf(leaf, around) : inside.who.leaf(leaf, around)),
    isBroken: (term) => record.isBroken?.(term) === true,
    look: (node) => ownRecords(node, inside) ?? furtherRecords(node, inside),
    join: combine,
  }
}

const ids = new WeakMap<ClaimNode, string>()

/** A claim has the same value wherever rules read it. */
function idOf(claim: ClaimNode): string {
  let id = ids.get(claim)
  if (id === undefined) {
    id = [claim.type, claim.list ? 'list' : 'single', ...claim.path].join('\n')
    ids.set(claim, id)
  }
  return id
}

/** Specialises a condition, as `simplify` with claims does. For speed, the result is not frozen yet. */
export function specialised(node: ConditionNode, who: PersonClaims): ConditionNode {
  return bind(node, who)
}

// A rule is specialised again for every person, so the simplification that needs no claims is done once and cached with the rule.
const settled = new WeakMap<ConditionNode, ConditionNode | null>()

function withoutClaims(node: ConditionNode): ConditionNode | undefined {
  let found = settled.get(node)
  if (found === undefined) {
    found = anyNode(node, hasClaim) ? null : bind(node, NOTHING_KNOWN)
    settled.set(node, found)
  }
  return found ?? undefined
}

function hasClaim(node: ConditionNode): boolean {
  return termsOf(node).some((term) => partsOfTerm(term).some(({ kind }) => kind === 'claim'))
}

/** A claim as a literal. An improper claim stays present and equals nothing, as everywhere. */
function claimValue(term: ClaimNode, claims: Row | null): LiteralNode {
  const found = inside(claims, term.path)
  const type: Scalar = term.type === 'other' ? 'text' : term.type
  if (found === null || found === undefined) return Object.freeze({ kind: 'literal', type, value: null })
  if (term.list) return Object.freeze({ kind: 'literal', type, list: true, value: Object.freeze(literalList(found, type)) })
  const value = toComparable(found, type)
  if (value === undefined) return Object.freeze({ kind: 'literal', type, value: isMissing(found, type) ? null : IMPROPER })
  return Object.freeze({ kind: 'literal', type, value: type === 'time' ? instantText(value as number) : value })
}

function literalList(found: unknown, type: Scalar): Comparable[] {
  const values = toComparables(found, type) ?? []
  return type === 'time' ? values.map((value) => instantText(value as number)) : values
}
