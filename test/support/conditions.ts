// Random conditions, claims and records over one record type that has a field of every kind.
import fc from 'fast-check'
import { rulebook } from 'pachter'
import {
  allOfNode,
  anyOfNode,
  COMPARISONS,
  type Comparison,
  type ConditionNode,
  compareNode,
  constant,
  FOREVER,
  family,
  instantText,
  NOW,
  notNode,
  presenceNode,
  type Scalar,
  type TermNode,
} from 'pachter/condition'
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
const listOf = (kind: Kind) =>
  fc.array(fc.oneof({ weight: 6, arbitrary: held[kind] }, { weight: 1, arbitrary: fc.constant(null) }), { maxLength: 4 })

/** Records of the type, as a store may hold them: improper numbers and texts too. */
export const record = fc.record({
  ...Object.fromEntries(
    KINDS.flatMap((kind) => [
      [`${kind}A`, maybe(held[kind])],
      [`${kind}B`, maybe(held[kind])],
      [`${kind}List`, maybe(listOf(kind))],
    ]),
  ),
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

function term(kind: Kind, list: boolean, depth = 0): fc.Arbitrary<TermNode> {
  const type = kind as Scalar
  const flags = list ? { list: true as const } : {}
  const names = list ? [`${kind}List`] : [`${kind}A`, `${kind}B`]
  const options: fc.WeightedArbitrary<TermNode>[] = [
    {
      weight: 5,
      arbitrary: fc
        .constantFrom(...names)
        .map((name) => ({ kind: 'field', of: 'record', path: [name], type, ...flags, optional: true }) as TermNode),
    },
    {
      weight: 3,
      arbitrary: fc.constant({ kind: 'claim', path: [list ? `${kind}List` : kind], type, ...flags, optional: true } as TermNode),
    },
    { weight: 3, arbitrary: literal(kind, list) },
  ]
  if (!list && (kind === 'text' || kind === 'number')) {
    options.push({
      weight: 1,
      arbitrary: fc.constant({ kind: 'field', of: 'record', path: ['inner', kind], type, optional: true } as TermNode),
    })
  }
  if (!list && kind === 'text') {
    options.push({
      weight: 1,
      arbitrary: fc.constant({ kind: 'field', of: 'record', path: ['textA'], type: 'id', optional: true } as TermNode),
    })
  }
  if (!list && kind === 'time') options.push({ weight: 2, arbitrary: fc.constantFrom<TermNode>(NOW, FOREVER) })
  if (depth === 0) {
    options.push({
      weight: 2,
      arbitrary: fc
        .tuple(term(kind, list, 1), term(kind, list, 1))
        .map(([first, otherwise]) => ({ kind: 'orElse', term: first, otherwise }) as TermNode),
    })
  }
  return fc.oneof(...options)
}

const comparison: fc.Arbitrary<ConditionNode> = fc.constantFrom(...(Object.keys(COMPARISONS) as Comparison[])).chain((by) => {
  const { takes, lists } = COMPARISONS[by]
  const kinds: readonly Kind[] = takes === 'any' ? KINDS : RELATED[takes]
  return fc
    .constantFrom(...kinds)
    .chain((left) =>
      fc
        .constantFrom(...RELATED[family(left as Scalar)])
        .chain((right) =>
          fc
            .tuple(term(left, lists === 'left' || lists === 'both'), term(right, lists === 'right' || lists === 'both'))
            .map(([a, b]) => compareNode(a, by, b)),
        ),
    )
})

const presence = fc
  .tuple(
    fc.oneof(
      fc.constantFrom(...KINDS).chain((kind) => fc.boolean().chain((list) => term(kind, list))),
      fc.constant({ kind: 'field', of: 'record', path: ['inner'], type: 'other', optional: true } as TermNode),
    ),
    fc.boolean(),
  )
  .map(([of, present]) => presenceNode(of, present))

/** Conditions of every kind, nested a few levels deep. */
export const condition: fc.Arbitrary<ConditionNode> = fc.letrec<{ node: ConditionNode }>((tie) => ({
  node: fc.oneof(
    { maxDepth: 3, depthSize: 'small' },
    { weight: 6, arbitrary: comparison },
    { weight: 1, arbitrary: presence },
    { weight: 1, arbitrary: fc.boolean().map(constant) },
    { weight: 3, arbitrary: tie('node').map(notNode) },
    { weight: 3, arbitrary: fc.array(tie('node'), { maxLength: 3 }).map(allOfNode) },
    { weight: 3, arbitrary: fc.array(tie('node'), { maxLength: 3 }).map(anyOfNode) },
    { weight: 1, arbitrary: tie('node').map((of) => ({ kind: 'named', name: 'some name', of }) as ConditionNode) },
  ),
})).node
