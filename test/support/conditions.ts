// Random conditions, claims and records over one record type that has a field of every kind.
import fc from 'fast-check'
import { rulebook } from 'pachter'
import type { ConditionNode, TermNode } from 'pachter/condition'
import {
  allOfNode,
  anyOfNode,
  COMPARISONS,
  compareNode,
  constant,
  FOREVER,
  family,
  instantText,
  type LinkNode,
  NOW,
  notNode,
  type OverNode,
  operatorOf,
  type PlaceNode,
  presenceNode,
  type RecordsNode,
  type Scalar,
  someNode,
} from 'pachter/internal/condition'
import { z } from 'zod'

const scalars = { text: z.string(), integer: z.int(), number: z.number(), boolean: z.boolean(), time: z.date() }
type Kind = keyof typeof scalars
const KINDS = Object.keys(scalars) as Kind[]

const fields = Object.fromEntries(
  KINDS.flatMap((kind) => [
    [`${kind}A`, scalars[kind].optional()],
    [`${kind}B`, scalars[kind].nullable()],
    [`${kind}List`, z.array(scalars[kind]).optional()],
  ]),
)

/** A rulebook with a field of every kind, and nested ones. */
export const everyKind = rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id' },
  records: {
    thing: {
      shape: z.object({
        id: z.string(),
        ...fields,
        parent: z.string().nullable(),
        parts: z.array(z.object(fields)).optional(),
        inner: z.object({ text: z.string().optional(), number: z.number().optional() }).optional(),
      }),
      key: 'id',
    },
  },
})

const TEXTS = [
  '',
  ' ',
  'a',
  'A',
  'ab',
  'aB',
  'abc',
  'É',
  'é',
  'ß',
  'ss',
  'a ',
  '%',
  '_',
  'a_c',
  "o'k",
  '"',
  '\\',
  '1',
  '01',
  'null',
  '\uffff',
  '\u{1f331}',
  '\ue000',
  '\ud7ff',
  '\ud7ffx',
  'a\0b',
  'true',
]
const NUMBERS = [
  0,
  -0,
  1,
  -1,
  0.5,
  0.1 + 0.2,
  2.5,
  1e21,
  -1e300,
  5e-324,
  2 ** 53 - 1,
  2 ** 53,
  2 ** 60,
  Number.MAX_VALUE,
  Number.POSITIVE_INFINITY,
  Number.NEGATIVE_INFINITY,
]
const INTEGERS = [0, 1, -1, 7, 2 ** 31, 2 ** 53 - 1, 1 - 2 ** 53, 2 ** 53, 2 ** 60]
const TIMES = [0, -1, 1, 1_700_000_000_000, 1_700_000_000_001, -62_167_219_200_000, 253_402_300_799_999].map((time) => new Date(time))

const text = fc.oneof(
  { weight: 5, arbitrary: fc.constantFrom(...TEXTS) },
  { weight: 1, arbitrary: fc.string({ unit: 'grapheme', maxLength: 6 }) },
)
const held: { readonly [K in Kind]: fc.Arbitrary<unknown> } = {
  text,
  integer: fc.oneof(fc.constantFrom(...INTEGERS), fc.maxSafeInteger()),
  number: fc.oneof(fc.constantFrom(...NUMBERS), fc.double({ noNaN: true })),
  boolean: fc.boolean(),
  time: fc.constantFrom(...TIMES),
}
// What a client may claim is odder than what a store would hold.
const odd: { readonly [K in Kind]: readonly unknown[] } = {
  text: ['\ud800', 'a\udc00', 5],
  integer: [0.5, Number.NaN, '1'],
  number: [Number.NaN, '1', true],
  boolean: ['true', 0],
  time: [new Date(Number.NaN), new Date(8.64e15), '2023-11-14T22:13:20.000Z', '2023-11-14', 'soon', 0],
}

const missing = fc.constantFrom(null, undefined)
const maybe = (value: fc.Arbitrary<unknown>) => fc.oneof({ weight: 3, arbitrary: value }, { weight: 1, arbitrary: missing })
const listOf = (kind: Kind, values: typeof held = held) =>
  fc.array(fc.oneof({ weight: 6, arbitrary: values[kind] }, { weight: 1, arbitrary: fc.constant(null) }), { maxLength: 4 })

const inJson: { readonly [K in Kind]: fc.Arbitrary<unknown> } = {
  ...held,
  text: text.filter((one) => !one.includes('\0')),
  integer: fc.constantFrom(...INTEGERS.filter(Number.isSafeInteger)),
  number: fc.constantFrom(0, 1, 0.5, -7),
}
const someFields = (values: typeof held) =>
  Object.fromEntries(
    KINDS.flatMap((kind) => [
      [`${kind}A`, maybe(values[kind])],
      [`${kind}B`, maybe(values[kind])],
      [`${kind}List`, maybe(listOf(kind, values))],
    ]),
  )

/** Records of the type, as a store may hold them: improper numbers and texts too. */
export const record = fc.record({
  ...someFields(held),
  // The records of a test are t-0, t-1 and so on; some are their own parents, or each other's.
  parent: fc.constantFrom(null, '', ' ', 't-0', 't-1', 't-2', 't-3', 't-4', 'T-1', 't-9'),
  parts: maybe(fc.array(fc.record(someFields(inJson)), { maxLength: 3 })),
  inner: maybe(fc.record({ text: maybe(text.filter((one) => !one.includes('\0'))), number: maybe(fc.constantFrom(0, 1, 0.5, -7)) })),
})

/** Claims, fitting and odd. */
export const claims = fc.oneof(
  { weight: 1, arbitrary: fc.constant(null) },
  {
    weight: 8,
    arbitrary: fc.record(
      Object.fromEntries(
        KINDS.flatMap((kind) => {
          const one = fc.oneof({ weight: 4, arbitrary: held[kind] }, { weight: 1, arbitrary: fc.constantFrom(...odd[kind]) })
          return [
            [kind, maybe(one)],
            [
              `${kind}List`,
              maybe(fc.oneof({ weight: 6, arbitrary: fc.array(one, { maxLength: 4 }) }, { weight: 1, arbitrary: fc.constant('no list') })),
            ],
          ]
        }),
      ),
    ),
  },
)

const RELATED: { readonly [F in ReturnType<typeof family>]: readonly Kind[] } = {
  text: ['text'],
  number: ['integer', 'number'],
  boolean: ['boolean'],
  time: ['time'],
}

function literal(kind: Kind, list: boolean): fc.Arbitrary<TermNode> {
  const written = (value: unknown) => (kind === 'time' ? instantText((value as Date).getTime()) : value)
  // A rule's own values are checked when it is built; only proper ones come this far.
  const proper = held[kind]
    .filter((value) => kind !== 'text' || !(value as string).includes('\0'))
    .filter((value) => typeof value !== 'number' || (Number.isFinite(value) && (kind === 'number' || Number.isSafeInteger(value))))
  const type = kind as Scalar
  if (list)
    return fc.array(proper.map(written), { maxLength: 4 }).map((value) => ({ kind: 'literal', type, list: true, value }) as TermNode)
  return proper.map((value) => ({ kind: 'literal', type, value: written(value) }) as TermNode)
}

/** The records that a term may read: the one asked about, and those that the enclosing `some` look at. */
type Scope = readonly (number | 'record')[]

const place = (name: string, type: Scalar, list = false): PlaceNode => ({ path: [name], type, ...(list ? { list: true as const } : {}) })
const textA = place('textA', 'text')
const textB = place('textB', 'text')
const textList = place('textList', 'text', true)
const LINKS: readonly LinkNode[] = [
  { name: 'parent', to: 'thing', by: [{ from: place('parent', 'id'), to: place('id', 'id') }] },
  { name: 'namesake', to: 'thing', by: [{ from: textA, to: textB }] },
  { name: 'listed', to: 'thing', by: [{ from: textList, to: textA }] },
  { name: 'listing', to: 'thing', by: [{ from: textA, to: textList }] },
  { name: 'number', to: 'thing', by: [{ from: place('integerA', 'integer'), to: place('numberB', 'number') }] },
  { name: 'time', to: 'thing', by: [{ from: place('timeA', 'time'), to: place('timeB', 'time') }] },
  {
    name: 'twin',
    to: 'thing',
    by: [
      { from: place('textA', 'id'), to: textA },
      { from: place('booleanA', 'boolean'), to: place('booleanB', 'boolean') },
    ],
  },
]
const link = fc.oneof({ weight: 3, arbitrary: fc.constant(LINKS[0] as LinkNode) }, { weight: 4, arbitrary: fc.constantFrom(...LINKS) })

function field(scope: Scope, path: readonly string[], type: Scalar | 'other', list: boolean): fc.Arbitrary<TermNode> {
  const via = fc.oneof({ weight: 5, arbitrary: fc.constant([]) }, { weight: 1, arbitrary: fc.array(link, { minLength: 1, maxLength: 2 }) })
  return fc.tuple(fc.constantFrom(...scope), via).map(
    ([of, steps]) =>
      ({
        kind: 'field',
        of,
        ...(steps.length > 0 ? { via: steps } : {}),
        path,
        type,
        ...(list ? { list: true as const } : {}),
        optional: true,
      }) as TermNode,
  )
}

function term(scope: Scope, kind: Kind, list: boolean, depth = 0): fc.Arbitrary<TermNode> {
  const type = kind as Scalar
  const flags = list ? { list: true as const } : {}
  const names = list ? [`${kind}List`] : [`${kind}A`, `${kind}B`]
  const options: fc.WeightedArbitrary<TermNode>[] = [
    { weight: 5, arbitrary: fc.constantFrom(...names).chain((name) => field(scope, [name], type, list)) },
    {
      weight: 3,
      arbitrary: fc.constant({ kind: 'claim', path: [list ? `${kind}List` : kind], type, ...flags, optional: true } as TermNode),
    },
    { weight: 3, arbitrary: literal(kind, list) },
  ]
  if (!list && (kind === 'text' || kind === 'number')) options.push({ weight: 1, arbitrary: field(scope, ['inner', kind], type, false) })
  if (!list && kind === 'text') {
    options.push(
      { weight: 1, arbitrary: field(scope, ['textA'], 'id', false) },
      { weight: 1, arbitrary: field(scope, ['parent'], 'id', false) },
    )
  }
  if (!list && kind === 'time') options.push({ weight: 2, arbitrary: fc.constantFrom<TermNode>(NOW, FOREVER) })
  if (depth < 2) {
    options.push({
      weight: 2,
      arbitrary: fc
        .tuple(term(scope, kind, list, depth + 1), term(scope, kind, list, depth + 1))
        .map(([first, otherwise]) => ({ kind: 'orElse', term: first, otherwise }) as TermNode),
    })
  }
  return fc.oneof(...options)
}

function comparison(scope: Scope): fc.Arbitrary<ConditionNode> {
  return fc.constantFrom(...COMPARISONS).chain((by) => {
    const { takes, lists } = operatorOf(by)
    const kinds: readonly Kind[] = takes === 'any' ? KINDS : RELATED[takes]
    return fc
      .constantFrom(...kinds)
      .chain((left) =>
        fc
          .constantFrom(...RELATED[family(left as Scalar)])
          .chain((right) =>
            fc
              .tuple(term(scope, left, lists === 'left' || lists === 'both'), term(scope, right, lists === 'right' || lists === 'both'))
              .map(([a, b]) => compareNode(a, by, b)),
          ),
      )
  })
}

function presence(scope: Scope): fc.Arbitrary<ConditionNode> {
  const of = fc.oneof(
    fc.constantFrom(...KINDS).chain((kind) => fc.boolean().chain((list) => term(scope, kind, list))),
    field(scope, ['inner'], 'other', false),
  )
  return fc.tuple(of, fc.boolean()).map(([one, present]) => presenceNode(one, present))
}

/** What a `some` may look through: linked records, the objects in a list, or the chain of parents. */
function over(scope: Scope): fc.Arbitrary<OverNode> {
  const joined = (one: LinkNode, from: (place: PlaceNode) => fc.Arbitrary<TermNode>) =>
    fc.tuple(...one.by.map(({ to, from: at }) => from(at).map((term) => ({ to, from: term }))))
  const start = (at: PlaceNode) => field(scope, at.path, at.type, at.list === true)
  const parent = LINKS[0] as LinkNode
  return fc.oneof(
    {
      weight: 3,
      arbitrary: link.chain((one) =>
        fc
          .constantFrom(...scope)
          .chain((of) =>
            joined(one, (at) => fc.constant({ kind: 'field', of, ...at } as TermNode)).map(
              (by) => ({ kind: 'records', type: 'thing', name: one.name, by }) as OverNode,
            ),
          ),
      ),
    },
    {
      weight: 1,
      arbitrary: link
        .chain((one) =>
          joined(one, (at) => (at.list ? start(at) : term(scope, at.type === 'id' ? 'text' : (at.type as Kind), false, 2))).map(
            (by) => ({ kind: 'records', type: 'thing', by }) as OverNode,
          ),
        )
        .filter((one) => !(one as RecordsNode).by.some(({ to, from }) => to.list && 'list' in from)),
    },
    { weight: 1, arbitrary: fc.constant({ kind: 'records', type: 'thing', by: [] } as OverNode) },
    { weight: 2, arbitrary: field(scope, ['parts'], 'other', false).map((list) => ({ kind: 'elements', list }) as OverNode) },
    {
      weight: 2,
      arbitrary: start(place('parent', 'id')).map(
        (from) =>
          ({
            kind: 'ancestors',
            type: 'thing',
            by: [{ to: place('id', 'id'), from }],
            link: parent,
            key: place('id', 'id'),
            self: { ...from, path: ['id'] },
          }) as OverNode,
      ),
    },
  )
}

function conditionIn(scope: Scope): fc.Arbitrary<ConditionNode> {
  const some =
    scope.length > 2
      ? []
      : [
          {
            weight: 4,
            arbitrary: fc
              .tuple(over(scope), fc.constant(scope.length))
              .chain(([through, each]) => conditionIn([...scope, each]).map((of) => someNode(each, through, of))),
          },
        ]
  return fc.letrec<{ node: ConditionNode }>((tie) => ({
    node: fc.oneof(
      { maxDepth: scope.length > 1 ? 1 : 3, depthSize: 'small' },
      { weight: 6, arbitrary: comparison(scope) },
      { weight: 1, arbitrary: presence(scope) },
      { weight: 1, arbitrary: fc.boolean().map(constant) },
      ...some,
      { weight: 3, arbitrary: tie('node').map(notNode) },
      { weight: 3, arbitrary: fc.array(tie('node'), { maxLength: 3 }).map(allOfNode) },
      { weight: 3, arbitrary: fc.array(tie('node'), { maxLength: 3 }).map(anyOfNode) },
      { weight: 1, arbitrary: tie('node').map((of) => ({ kind: 'named', name: 'some name', of }) as ConditionNode) },
    ),
  })).node
}

/** Conditions of every kind, nested a few levels deep. */
export const condition: fc.Arbitrary<ConditionNode> = conditionIn(['record'])
