// One record type that has a field of every kind, with random records and claims of it.
import fc from 'fast-check'
import { rulebook } from 'pachter'
import { z } from 'zod'

export const scalars = { text: z.string(), integer: z.int(), number: z.number(), boolean: z.boolean(), time: z.date() }
export type Kind = keyof typeof scalars
export const KINDS = Object.keys(scalars) as Kind[]

export const fields = Object.fromEntries(
  KINDS.flatMap((kind) => [
    [`${kind}A`, scalars[kind].optional()],
    [`${kind}B`, scalars[kind].nullable()],
    [`${kind}List`, z.array(scalars[kind]).optional()],
  ]),
)

/** A record with a field of every kind, and nested ones. */
export const thingShape = z.object({
  id: z.string(),
  ...fields,
  parent: z.string().nullable(),
  parts: z.array(z.object(fields)).optional(),
  inner: z.object({ text: z.string().optional(), number: z.number().optional() }).optional(),
})

/** A rulebook of it. */
export const everyKind = rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id' },
  records: {
    thing: {
      shape: thingShape,
      key: 'id',
    },
  },
})

export const TEXTS = [
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
export const NUMBERS = [
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
export const INTEGERS = [0, 1, -1, 7, 2 ** 31, 2 ** 53 - 1, 1 - 2 ** 53, 2 ** 53, 2 ** 60]
export const TIMES = [0, -1, 1, 1_700_000_000_000, 1_700_000_000_001, -62_167_219_200_000, 253_402_300_799_999].map(
  (time) => new Date(time),
)

export const text = fc.oneof(
  { weight: 5, arbitrary: fc.constantFrom(...TEXTS) },
  { weight: 1, arbitrary: fc.string({ unit: 'grapheme', maxLength: 6 }) },
)
export const held: { readonly [K in Kind]: fc.Arbitrary<unknown> } = {
  text,
  integer: fc.oneof(fc.constantFrom(...INTEGERS), fc.maxSafeInteger()),
  number: fc.oneof(fc.constantFrom(...NUMBERS), fc.double({ noNaN: true })),
  boolean: fc.boolean(),
  time: fc.constantFrom(...TIMES),
}
// What a client may claim is odder than what a store would hold.
export const odd: { readonly [K in Kind]: readonly unknown[] } = {
  text: ['\ud800', 'a\udc00', 5],
  integer: [0.5, Number.NaN, '1'],
  number: [Number.NaN, '1', true],
  boolean: ['true', 0],
  time: [new Date(Number.NaN), new Date(8.64e15), '2023-11-14T22:13:20.000Z', '2023-11-14', 'soon', 0],
}

export const missing = fc.constantFrom(null, undefined)
export const maybe = (value: fc.Arbitrary<unknown>) => fc.oneof({ weight: 3, arbitrary: value }, { weight: 1, arbitrary: missing })
export const listOf = (kind: Kind, values: typeof held = held) =>
  fc.array(fc.oneof({ weight: 6, arbitrary: values[kind] }, { weight: 1, arbitrary: fc.constant(null) }), { maxLength: 4 })

export const inJson: { readonly [K in Kind]: fc.Arbitrary<unknown> } = {
  ...held,
  text: text.filter((one) => !one.includes('\0')),
  integer: fc.constantFrom(...INTEGERS.filter(Number.isSafeInteger)),
  number: fc.constantFrom(0, 1, 0.5, -7),
}
export const someFields = (values: typeof held) =>
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
