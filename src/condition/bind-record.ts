import type { Row } from './context.js'
import { lower } from './lower.js'
import type { ConditionNode, FieldNode, LiteralNode, RecordRef, SomeNode, TermNode } from './nodes.js'
import { type Binding, bind, type Looked } from './partial.js'
import { instantText } from './time.js'
import { type Comparable, IMPROPER, inside, isMissing, type Scalar, toComparable, toComparables } from './value.js'
import type { LeafNode } from './visit.js'
import { asksAfter } from './walk.js'

/** A record that may be known only in part. */
export interface KnownRecord {
  readonly row: Row
  /** Whether an absent field is missing. Otherwise it is unknown. */
  isMissing(field: string): boolean
}

/** The known records, by the scope under which conditions name them. */
export type KnownRecords = ReadonlyMap<RecordRef, KnownRecord>

/** Fills in the terms about the changed record (`after`), so that a database can evaluate the rest. */
export function bindAfter(node: ConditionNode, after: Row): ConditionNode {
  return asksAfter(node) ? bind(lower(node), recordBinding(new Map([['after', wholeRecord(after)]]))) : node
}

/**
 * Fills in the terms about one known record, and about the changed record (which defaults to the same record). What remains asks about
 * other records, or is a constant.
 */
export function bindRecord(node: ConditionNode, record: Row, after: Row = record): ConditionNode {
  const known: KnownRecords = new Map([
    ['record', wholeRecord(record)],
    ['after', wholeRecord(after)],
  ])
  return bind(lower(node), recordBinding(known))
}

/** A record that is known completely: absent fields are missing. */
export function wholeRecord(row: Row): KnownRecord {
  return { row, isMissing: () => true }
}

/** The known records and one more. */
export interface RecordBinding extends Binding {
  with(of: RecordRef, record: KnownRecord): RecordBinding
}

/** What else may be known. */
export interface Besides {
  /** The current time in milliseconds since 1970. */
  readonly now?: number
  /** The records that links lead to, as far as known. */
  readonly look?: (node: SomeNode, binding: RecordBinding) => Looked | undefined
}

/** A partial evaluation with known records, including the objects in their lists. */
export function recordBinding(known: KnownRecords, besides: Besides = {}): RecordBinding {
  const { now, look } = besides
  const binding: RecordBinding = {
    leaf(leaf: LeafNode): TermNode {
      switch (leaf.kind) {
        case 'field': {
          const found = valueAt(leaf, known)
          return found === undefined ? leaf : literalOf(found.value, leaf.type, leaf.list === true)
        }
        case 'now':
          // A page knows no days: their zones would cost it more than all other terms.
          return now === undefined || leaf.zone ? leaf : { kind: 'literal', type: 'time', value: instantText(now) }
        case 'claim':
        case 'literal':
        case 'forever':
          return leaf
      }
    },
    isBroken(term) {
      const found = term.kind === 'field' ? valueAt(term, known) : undefined
      return term.kind === 'field' && found !== undefined && !isWhole(found.value, term.type)
    },
    look(node) {
      if (node.over.kind !== 'elements') return look?.(node, binding)
      const found = valueAt(node.over.list, known)
      if (found === undefined) return undefined
      const objects = Array.isArray(found.value) ? found.value.filter(isGroup) : []
      return { each: objects.map((object) => binding.with(node.each, wholeRecord(object))), of: node.of, others: false }
    },
    with: (of, record) => recordBinding(new Map(known).set(of, record), besides),
  }
  return binding
}

/** The value of a field, if it is known. */
export function valueAt({ of, path, via }: FieldNode, known: KnownRecords): { readonly value: unknown } | undefined {
  const record = via === undefined ? known.get(of) : undefined
  if (record === undefined) return undefined
  const name = path[0] as string
  if (!Object.hasOwn(record.row, name) && !record.isMissing(name)) return undefined
  return { value: inside(record.row, path) }
}

function isWhole(value: unknown, type: Scalar | 'other'): boolean {
  return Array.isArray(value) && type !== 'other' && toComparables(value, type)?.length === value.length
}

/** Whether a value is an object with fields. */
export function isGroup(value: unknown): value is Row {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}

function literalOf(value: unknown, type: Scalar | 'other', list: boolean): LiteralNode {
  const missing = isMissing(value, list ? 'other' : type)
  if (type === 'other') return { kind: 'literal', type: 'boolean', value: missing ? null : true }
  const written = (one: Comparable) => (type === 'time' ? instantText(one as number) : one)
  if (list)
    return missing
      ? { kind: 'literal', type, value: null }
      : { kind: 'literal', type, list: true, value: (toComparables(value, type) ?? []).map(written) }
  const known = toComparable(value, type)
  return { kind: 'literal', type, value: known === undefined ? (missing ? null : IMPROPER) : written(known) }
}
