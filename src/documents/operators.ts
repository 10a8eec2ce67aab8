import {
  type CompareNode,
  type Comparison,
  describe,
  type FieldNode,
  family,
  isList,
  type LiteralNode,
  operatorOf,
  type Scalar,
  scalarOf,
  type TermNode,
} from '../condition/index.js'
import { DocumentError } from './error.js'
import {
  all,
  any,
  apartFromLists,
  END,
  escaped,
  type FilterDocument,
  fits,
  heldValue,
  ignoringCase,
  NONE,
  pathOf,
  range,
  sound,
  TYPES,
  valuesOf,
  type Written,
} from './parts.js'

/** Where a comparison stands. */
interface Where {
  readonly written: Written
  /** The enclosing `some` over a list of objects. */
  readonly within: number | undefined
}

/** A field that is compared with a known value. */
interface ComparedField {
  readonly type: Scalar
  /** The test that its value must pass to be comparable. */
  readonly sound: readonly FilterDocument[]
  matches(test: unknown, ...more: readonly FilterDocument[]): FilterDocument
  /** For a list: one element must match. */
  inList(test: FilterDocument): FilterDocument
}

type Beside = (known: unknown, place: ComparedField) => FilterDocument

const ordered =
  (order: '$lt' | '$gt' | '$lte' | '$gte'): Beside =>
  (value, { type, matches }) =>
    matches(narrowed(range(type), order, value))

/** A field on the left, a known value on the right. */
const BESIDE: { readonly [C in Comparison]: Beside } = {
  is: (value, { matches }) => matches({ $eq: value }),
  isOneOf: (values, { matches }) => matches({ $in: values }),
  isLessThan: ordered('$lt'),
  isMoreThan: ordered('$gt'),
  isAtMost: ordered('$lte'),
  isAtLeast: ordered('$gte'),
  isBefore: ordered('$lt'),
  isAfter: ordered('$gt'),
  startsWith: (value, place) => place.matches({ $regex: `^${escaped(value as string)}` }, ...place.sound),
  endsWith: (value, place) => place.matches({ $regex: `${escaped(value as string)}${END}` }, ...place.sound),
  contains: (value, place) => place.matches({ $regex: escaped(value as string) }, ...place.sound),
  isIgnoringCase: (value, { matches }) => matches({ $regex: `^${ignoringCase(value as string)}${END}` }),
  has: (value, { inList }) => inList({ $eq: value }),
  hasIgnoringCase: (value, { inList }) => inList({ $regex: `^${ignoringCase(value as string)}${END}` }),
  overlaps: (values, { inList }) => inList({ $in: values }),
}

/** Writes a comparison of a field with a known value. @throws DocumentError */
export function fieldBesideKnown(by: Comparison, field: FieldNode, known: TermNode, { written, within }: Where): FilterDocument {
  const path = pathOf(field, written, within)
  const own = path.at(-1) as string
  const type = scalarOf(field)
  const place: ComparedField = {
    type,
    sound: sound(own, type),
    matches: (test, ...more) => all([{ [own]: test }, ...more, ...apartFromLists(path)]),
    // An element that is itself a list equals none of the values, even if it contains one.
    inList: (test) => all([{ [own]: { $elemMatch: { ...test, $not: { $type: 'array' } } } }, ...apartFromLists(path.slice(0, -1))]),
  }
  const { compare, lookup } = operatorOf(by)
  if (known.kind === 'forever') return compare(0, Number.POSITIVE_INFINITY) ? place.matches(range(type)) : NONE
  if (isList(known)) {
    const values = valuesOf(known as LiteralNode, type)
    return values.length === 0 ? NONE : BESIDE[by](values, place)
  }
  const value = heldValue(known, written)
  if (value === undefined || (lookup.startsWith('equality') && !fits(value, type))) return NONE
  return BESIDE[by](value, place)
}

/** Within the range of valid values, and in that order to the known value. */
function narrowed(bounds: FilterDocument, order: '$lt' | '$gt' | '$lte' | '$gte', value: unknown): FilterDocument {
  if (order === '$lt' || order === '$gt') return { ...bounds, [order]: value }
  const bound = bounds[order] as number | Date
  const inside = order === '$lte' ? (value as number | Date) < bound : (value as number | Date) > bound
  return { ...bounds, [order]: inside ? value : bound }
}

type Mirrored = (known: TermNode, field: FieldNode, where: Where) => FilterDocument

/** The same comparison with the field on the left. */
const turned =
  (by: Comparison): Mirrored =>
  (known, field, where) =>
    fieldBesideKnown(by, field, known, where)

/** The field is contained in a known text. */
const oneOf =
  (parts: (letters: readonly string[]) => readonly (readonly string[])[]): Mirrored =>
  (known, field, where) => {
    const value = heldValue(known, where.written)
    if (value === undefined) return NONE
    const all = parts([...(value as string)]).map((one) => one.join(''))
    return fieldBesideKnown('isOneOf', field, { kind: 'literal', type: 'text', list: true, value: all }, where)
  }

/** A known value on the left, a field on the right. */
const MIRRORED: { readonly [C in Comparison]: Mirrored } = {
  is: turned('is'),
  isOneOf: turned('has'),
  isLessThan: turned('isMoreThan'),
  isMoreThan: turned('isLessThan'),
  isAtMost: turned('isAtLeast'),
  isAtLeast: turned('isAtMost'),
  isBefore: turned('isAfter'),
  isAfter: turned('isBefore'),
  startsWith: oneOf((letters) => [letters, ...letters.map((_, at) => letters.slice(0, at))]),
  endsWith: oneOf((letters) => [letters, ...letters.map((_, at) => letters.slice(at + 1))]),
  contains(known, field, { written, within }) {
    const value = heldValue(known, written)
    if (value === undefined) return NONE
    if (within !== undefined) throw new DocumentError('"contains" with a field on the right, within a list,')
    const path = pathOf(field, written, within)
    const place = `$${path.at(-1)}`
    const holds = { $and: [isText(place), { $gte: [{ $indexOfBytes: [{ $literal: value }, place] }, 0] }] }
    return all([...guards(field, path), { $expr: holds }])
  },
  isIgnoringCase: turned('isIgnoringCase'),
  has: turned('isOneOf'),
  hasIgnoringCase: (known, field, where) =>
    any(
      valuesOf(known as LiteralNode, 'text').map((value) =>
        fieldBesideKnown('isIgnoringCase', field, { kind: 'literal', type: 'text', value: value as string }, where),
      ),
    ),
  overlaps: turned('overlaps'),
}

/** Writes a comparison of a known value with a field. @throws DocumentError */
export function knownBesideField(by: Comparison, known: TermNode, field: FieldNode, where: Where): FilterDocument {
  if (known.kind !== 'forever') return MIRRORED[by](known, field, where)
  const path = pathOf(field, where.written, where.within)
  if (!operatorOf(by).compare(Number.POSITIVE_INFINITY, 0)) return NONE
  return all([{ [path.at(-1) as string]: range('time') }, ...apartFromLists(path)])
}

/** Two fields: the test that each must pass, and an expression. Undefined if the query language has none. */
type Both = (left: string, right: string, types: readonly [Scalar, Scalar]) => readonly FilterDocument[] | undefined

const expression = (of: unknown): readonly FilterDocument[] => [{ $expr: of }]
const inOrder =
  (order: '$eq' | '$lt' | '$gt' | '$lte' | '$gte'): Both =>
  (left, right) =>
    expression({ [order]: [left, right] })
/** The expression fails on a value that is not text, and the order of evaluation within a filter is not defined. */
const found =
  (test: (position: unknown) => unknown): Both =>
  (left, right) =>
    expression({ $and: [isText(left), isText(right), test({ $indexOfBytes: [left, right] })] })
const unsaid: Both = () => undefined

const BOTH: { readonly [C in Comparison]: Both } = {
  is: inOrder('$eq'),
  // A value that equals an element must be valid as an element is.
  isOneOf: (left, right, [, type]) => [
    ...sound(left.slice(1), type),
    ...expression({ $and: [{ $isArray: right }, { $in: [left, right] }] }),
  ],
  isLessThan: inOrder('$lt'),
  isMoreThan: inOrder('$gt'),
  isAtMost: inOrder('$lte'),
  isAtLeast: inOrder('$gte'),
  isBefore: inOrder('$lt'),
  isAfter: inOrder('$gt'),
  startsWith: found((position) => ({ $eq: [position, 0] })),
  endsWith: unsaid,
  contains: found((position) => ({ $gte: [position, 0] })),
  isIgnoringCase: unsaid,
  has: (left, right, [type]) => [...sound(right.slice(1), type), ...expression({ $and: [{ $isArray: left }, { $in: [right, left] }] })],
  hasIgnoringCase: unsaid,
  overlaps: unsaid,
}

/** Writes a comparison of two fields by an expression. @throws DocumentError */
export function twoFields(node: CompareNode, left: FieldNode, right: FieldNode, { written, within }: Where): FilterDocument {
  if (within !== undefined) throw new DocumentError(`"${describe(node)}" within a list`)
  const [a, b] = [pathOf(left, written, within), pathOf(right, written, within)]
  const compared = BOTH[node.by](`$${a.at(-1)}`, `$${b.at(-1)}`, [scalarOf(left), scalarOf(right)])
  if (compared === undefined) throw new DocumentError(`"${describe(node)}"`)
  return all([...guards(left, a), ...guards(right, b), ...compared])
}

/** The tests that a field must pass before an expression uses it. */
function guards(field: FieldNode, path: readonly string[]): readonly FilterDocument[] {
  if (field.list) return apartFromLists(path.slice(0, -1))
  const own = path.at(-1) as string
  return [{ [own]: { $type: TYPES[family(scalarOf(field))] } }, ...sound(own, scalarOf(field)), ...apartFromLists(path)]
}

function isText(place: string): FilterDocument {
  return { $eq: [{ $type: place }, 'string'] }
}
