import { expect } from 'chai'
import fc from 'fast-check'
import { type ConditionNode, conditionFromJson, predicate, type Row, simplify, type TermNode } from 'pachter/condition'
import {
  absorbed,
  allOfNode,
  anyOfNode,
  bindRecord,
  compareNode,
  negate,
  notNode,
  presenceNode,
  pushNot,
  type Scalar,
} from 'pachter/internal/condition'
import { AT_ONCE, agrees, agreesInOwnSchema, agreesOn, cases, held, keyed, linksOf, NOW } from '../support/agreement.js'
import { engines } from '../support/engines.js'
import { tries } from '../support/tries.js'

// The engine within this process is the fastest; each of the others is asked a part of it. CI asks for more: npm run agree.
const RUNS: { readonly [engine: string]: number } = { SQLite: tries(30, 200) }

describe('a condition means the same', () => {
  it('specialised, simplified, negated, read back from JSON and filled in', () => {
    fc.assert(
      fc.property(...cases, (nodes, me, unkeyed) => {
        const rows = keyed(unkeyed)
        for (const [at, node] of nodes.entries()) {
          const answer = held(rows, node, me)
          const special = simplify(node, me)
          expect(held(rows, special, null), 'specialised').to.deep.equal(answer)
          expect(held(rows, simplify(node), me), 'simplified for everybody').to.deep.equal(answer)
          expect(held(rows, pushNot(node), me), 'with not at the leaves').to.deep.equal(answer)
          expect(held(rows, negate(node), me), 'negated').to.deep.equal(rows.map(({ id }) => id).filter((id) => !answer.includes(id)))
          expect(conditionFromJson(JSON.parse(JSON.stringify(node))), 'from JSON').to.deep.equal(JSON.parse(JSON.stringify(node)))
          const next = nodes[(at + 1) % nodes.length] ?? node
          const mixed = [anyOfNode([allOfNode([next, node]), node]), allOfNode([anyOfNode([next, node]), node, next])]
          for (const mix of [node, ...mixed])
            expect(held(rows, absorbed(mix), me), 'without what another part says already').to.deep.equal(held(rows, mix, me))
          const filled = rows.filter((row) =>
            predicate(simplify(bindRecord(special, row)))({}, { me: null, now: NOW, links: linksOf(rows) }),
          )
          expect(
            filled.map(({ id }) => id),
            'with the record filled in',
          ).to.deep.equal(answer)
        }
      }),
      { numRuns: tries(40, 200) },
    )
  })

  for (const engine of engines) {
    const runs = RUNS[engine.name] ?? tries(6, 40)
    it(`in ${engine.name}: ${(runs * AT_ONCE).toLocaleString('en')} random conditions`, () => agrees(engine, runs))
    it(`in ${engine.name}, in tables of other names and types`, () => agreesInOwnSchema(engine, Math.ceil(runs / 2)))
    it(`in ${engine.name}, where stand-ins have stand-ins of their own, and any of them may be missing`, () =>
      agreesOn(engine, nested(), filled))
    it(`in ${engine.name}, where a term and its stand-in hold values of different types`, () => agreesOn(engine, standIns(), odd))
  }
})

/** A blank is a text and no id; a half, and what is too large, are numbers and no whole ones. */
const odd: readonly Row[] = [null, '', ' ', 'x'].flatMap((text, one) =>
  [null, '', '  ', 'x'].flatMap((parent, other) =>
    [null, 0.5, 1, 2 ** 60].map((number, third) => ({
      id: `t-${one}${other}${third}`,
      textB: text,
      parent,
      numberA: number,
      integerB: 1,
      textList: ['', 'x'],
    })),
  ),
)

const VALUES = { text: 'a', integer: 1, number: 1.5, boolean: true, time: '2023-11-14T22:13:20.000Z' } as const

/** One record that has everything, and one that has nothing. */
const filled: readonly Row[] = [
  { id: 't-0' },
  {
    id: 't-1',
    ...Object.fromEntries(
      Object.entries(VALUES).flatMap(([kind, value]) => {
        const held = kind === 'time' ? new Date(value as string) : value
        return [
          [`${kind}A`, held],
          [`${kind}List`, [held]],
        ]
      }),
    ),
  },
]

/** Every way to nest stand-ins of a field, of what is missing, and of a value. */
function nested(): ConditionNode[] {
  return Object.entries(VALUES).flatMap(([kind, known]) =>
    [true, false].flatMap((list) => {
      const type = kind as Scalar
      const flags = list ? { list: true as const } : {}
      const literal = (value: unknown) => ({ kind: 'literal', type, ...flags, value }) as TermNode
      const field: TermNode = { kind: 'field', of: 'record', path: [`${kind}${list ? 'List' : 'A'}`], type, ...flags, optional: true }
      // What claims hold of another type is there, and equals nothing.
      const improper = list ? [] : [literal('\0')]
      const terms = [field, literal(null), literal(list ? [known] : known), ...improper]
      const either = (term: TermNode, otherwise: TermNode): TermNode => ({ kind: 'orElse', term, otherwise })
      const all = terms.flatMap((a) => terms.flatMap((b) => terms.flatMap((c) => [either(a, either(b, c)), either(either(a, b), c)])))
      const one = { kind: 'literal', type, value: known } as const
      return all.flatMap((term) =>
        list
          ? [
              compareNode(term, 'has', one),
              compareNode(term, 'overlaps', field),
              compareNode(one, 'isOneOf', term),
              presenceNode(term, true),
            ]
          : [
              compareNode(term, 'is', one),
              compareNode(field, 'is', term),
              notNode(compareNode(term, 'is', field)),
              presenceNode(term, false),
            ],
      )
    }),
  )
}

function standIns(): ConditionNode[] {
  const field = (name: string, type: Scalar) => ({ kind: 'field', of: 'record', path: [name], type, optional: true }) as const
  const pairs = [
    [field('textB', 'text'), field('parent', 'id'), ['', ' ', 'x']],
    [field('parent', 'id'), field('textB', 'text'), ['', '  ', 'x']],
    [field('numberA', 'number'), field('integerB', 'integer'), [0.5, 1, 2 ** 60]],
    [field('integerB', 'integer'), field('numberA', 'number'), [0.5, 1, 2 ** 60]],
  ] as const
  return pairs.flatMap(([first, second, values]) => {
    const term = { kind: 'orElse', term: first, otherwise: second } as const
    const type = typeof values[0] === 'string' ? 'text' : 'number'
    const literal = (value: string | number) => ({ kind: 'literal', type, value }) as const
    const list = { kind: 'literal', type, list: true, value: [...values] } as const
    const compared = [
      ...values.flatMap((value) => [compareNode(term, 'is', literal(value)), compareNode(literal(value), 'is', term)]),
      compareNode(term, 'isOneOf', list),
      compareNode(list, 'has', term),
      ...(type === 'text' ? [compareNode(term, 'startsWith', literal('')), compareNode(term, 'isIgnoringCase', literal(''))] : []),
    ]
    return compared.flatMap((node) => [node, notNode(node)])
  })
}
