// Small rulebooks of records that lead to each other, and worlds of a few of them: everything that a write can change happens often.
import fc from 'fast-check'
import { rulebook, toOne } from 'pachter'
import type { ConditionNode, Row, TermNode } from 'pachter/condition'
import { allOfNode, anyOfNode, compareNode, notNode, presenceNode, someNode } from 'pachter/internal/condition'
import type { Model } from 'pachter/internal/rulebook'
import { z } from 'zod'

const id = z.string()
const shape = z.object({ id, x: id.nullable(), y: id.nullable(), n: z.number(), ids: z.array(id) })

type RecordRef = Extract<TermNode, { readonly kind: 'field' }>['of']

/** Two record types with the same fields. Those of the first are people too: by their key, or the only one of which `x` is it. */
const baseOf = (by: 'id' | 'x') =>
  rulebook({
    me: { shape: z.object({ id }), key: 'id', links: { self: by === 'id' ? toOne('person', 'id') : toOne('person', { x: 'id' }) } },
    records: {
      person: {
        shape,
        key: 'id',
        links: { other: toOne('thing', 'x', { target: 'any' }), above: toOne('person', 'y', { target: 'any' }) },
      },
      thing: { shape, key: 'id', links: { owner: toOne('person', 'x', { target: 'any' }), above: toOne('thing', 'y', { target: 'any' }) } },
    },
  })

const base = baseOf('id')

export const TYPES = ['person', 'thing'] as const
/** The fields that change. */
export const FIELDS = ['x', 'y', 'n', 'ids']
const PEOPLE = ['p-1', 'p-2', 'p-3']
const THINGS = ['t-1', 't-2', 't-3']
const IDS = [...PEOPLE, ...THINGS]

const field = (of: RecordRef, name: string): TermNode => ({ kind: 'field', of, path: [name], type: 'id', optional: true })
const claims: readonly TermNode[] = [
  { kind: 'claim', path: ['id'], type: 'id' },
  { kind: 'claim', path: ['id'], type: 'id' },
  { kind: 'claim', path: ['self', 'x'], links: 1, type: 'id', optional: true },
  { kind: 'claim', path: ['self', 'y'], links: 1, type: 'id', optional: true },
]

/** A condition on a record, within `some` nodes of these numbers. */
function conditionIn(around: readonly RecordRef[], depth: number, hasChains = true): fc.Arbitrary<ConditionNode> {
  const of = fc.constantFrom(...around)
  const name = fc.constantFrom('id', 'x', 'y')
  const term = fc.oneof(
    fc.tuple(of, name).map(([one, path]) => field(one, path)),
    fc.constantFrom(...claims),
  )
  const innermost = around.at(-1) as RecordRef
  const leaves: fc.Arbitrary<ConditionNode>[] = [
    fc.tuple(name, term).map(([path, other]) => compareNode(field(innermost, path), 'is', other)),
    fc.tuple(name, fc.constantFrom(...claims)).map(([path, other]) => compareNode(field(innermost, path), 'is', other)),
    fc
      .tuple(of, fc.integer({ min: 0, max: 2 }))
      .map(([one, value]) =>
        compareNode({ kind: 'field', of: one, path: ['n'], type: 'number' }, 'is', { kind: 'literal', type: 'number', value }),
      ),
    fc.tuple(of, term).map(([one, other]) => compareNode({ kind: 'field', of: one, path: ['ids'], type: 'id', list: true }, 'has', other)),
    fc.tuple(term, fc.boolean()).map(([one, present]) => presenceNode(one, present)),
  ]
  if (depth === 0) return fc.oneof(...leaves)
  const each = around.length
  const inner = conditionIn([...around, each], depth - 1, hasChains)
  const same = conditionIn(around, depth - 1, hasChains)
  const join = fc.tuple(fc.constantFrom('id', 'x', 'y'), term).map(([path, from]) => ({ to: { path: [path], type: 'id' as const }, from }))
  const chain = fc.tuple(fc.constantFrom(...TYPES), inner).map(([type, node]) =>
    someNode(
      each,
      {
        kind: 'ancestors',
        type,
        by: [{ to: { path: ['id'], type: 'id' }, from: field(innermost, 'y') }],
        link: { name: 'above', to: type, by: [{ to: { path: ['id'], type: 'id' }, from: { path: ['y'], type: 'id' } }] },
        keys: [{ path: ['id'], type: 'id' }],
        self: [field(innermost, 'id')],
      },
      node,
    ),
  )
  return fc.oneof(
    ...leaves,
    fc
      .record({ type: fc.constantFrom(...TYPES), by: fc.array(join, { maxLength: 1 }), of: inner, least: fc.constantFrom(1, 1, 1, 2) })
      .map(({ type, by, of: node, least }) => someNode(each, { kind: 'records', type, by }, node, least)),
    ...(hasChains ? [chain] : []),
    fc.tuple(same, same).map((both) => allOfNode(both)),
    fc.tuple(same, same).map((both) => anyOfNode(both)),
    same.map(notNode),
  )
}

const condition = conditionIn(['record'], 2)
/** A condition without chains. */
export const plainCondition = conditionIn(['record'], 2, false)
/** Its rulebook. */
export const plainModel = base.model as Model
const clause = fc.record({ when: condition, fields: fc.option(fc.subarray(FIELDS, { minLength: 1 }), { nil: undefined }) })
const clauses = fc
  .array(clause, { minLength: 1, maxLength: 2 })
  .map((all) =>
    all.map(({ when, fields }, at) => ({ title: `clause ${at}`, when, who: when, provided: [], ...(fields ? { fields } : {}) })),
  )
const wholes = clauses.map((all) => all.map(({ fields: _fields, ...rest }) => rest))
const veto = fc.record({ title: fc.constant('veto'), actions: fc.constant(['update']), when: condition, message: fc.constant('No.') })
const rules = fc
  .record({ read: clauses, create: wholes, update: clauses, delete: wholes, vetoes: fc.array(veto, { maxLength: 1 }) })
  .map(({ vetoes, ...may }) => ({ gates: {}, vetoes, may, messages: {}, stamps: { create: {}, update: {} } }))

/** A rulebook of random conditions. */
export const tinyModel: fc.Arbitrary<Model> = fc.record({ person: rules, thing: rules, from: fc.constantFrom(base, baseOf('x')) }).map(
  ({ from: { model }, ...each }) =>
    ({
      ...model,
      types: Object.fromEntries(TYPES.map((type) => [type, { ...model.types[type], rules: each[type] }])),
    }) as unknown as Model,
)

const value = fc.constantFrom<string | null>(...IDS, null)
const values = fc.record({ x: value, y: value, n: fc.integer({ min: 0, max: 2 }), ids: fc.subarray(IDS, { maxLength: 2 }) })
const rowsOf = (ids: readonly string[]) =>
  fc
    .uniqueArray(fc.constantFrom(...ids), { minLength: 1 })
    .chain((keys) => fc.tuple(...keys.map((key) => values.map((row) => ({ id: key, ...row })))))

/** A few records, a person, and what a write sends. */
export const tinyWorld = fc.record({
  person: rowsOf(PEOPLE),
  thing: rowsOf(THINGS),
  me: fc.constantFrom(...PEOPLE).map((key) => ({ id: key })),
  sent: values as fc.Arbitrary<Row>,
  changed: fc.subarray(FIELDS, { minLength: 1, maxLength: 2 }),
})
