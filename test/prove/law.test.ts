// What is proved impossible is not found in any world, and what is found is confirmed by evaluation.
import { expect } from 'chai'
import fc from 'fast-check'
import { type ConditionNode, predicate, type Row } from 'pachter/condition'
import { type Example, search } from 'pachter/internal/prove'
import { cases, held, keyed, linksOf } from '../support/agreement.js'
import { everyKind } from '../support/conditions.js'
import { tries } from '../support/tries.js'

const { model } = everyKind
/** How many facts are told of a world at once. */
const TOLD = 7

/** Whether plain evaluation says that the condition holds in an example. */
function holdsIn(node: ConditionNode, { record, records, me, now }: Example): boolean {
  return predicate(node)(record as Row, { me, now, links: linksOf(records.thing ?? []) })
}

function searched(node: ConditionNode) {
  return search({
    model,
    ask(encoder) {
      const record = encoder.record('thing', true)
      const around = { record, after: record }
      return { literals: [encoder.encode(node, around)], around }
    },
    confirms: (example) => holdsIn(node, example),
  })
}

describe('a search of all worlds', () => {
  it('never misses a world: random conditions that hold on random records are never taken for impossible', () => {
    const counts = { none: 0, example: 0, unknown: 0 }
    const law = fc.property(...cases, (nodes, me, unkeyed) => {
      const rows = keyed(unkeyed)
      for (const node of nodes) {
        const found = searched(node)
        counts[found.kind] += 1
        if (found.kind === 'none') expect(held(rows, node, me), JSON.stringify(node)).to.deep.equal([])
        if (found.kind === 'example') expect(holdsIn(node, found.example), JSON.stringify(node)).to.equal(true)
      }
    })
    fc.assert(law, { numRuns: tries(25, 300) })
    const all = counts.none + counts.example + counts.unknown
    // These conditions are odder than rules: chains of texts, huge numbers, zones.
    expect(counts.unknown / all, JSON.stringify(counts)).to.be.below(0.12)
    expect(counts.none, JSON.stringify(counts)).to.be.above(all / 20)
  })

  it('never takes a world that is there for impossible, however much is said of it', () => {
    const counts = { none: 0, example: 0, unknown: 0 }
    const law = fc.property(...cases, (nodes, me, unkeyed) => {
      const rows = keyed(unkeyed)
      const on = new Map(nodes.map((node) => [node, new Set(held(rows, node, me))]))
      for (const { id } of rows as unknown as readonly { readonly id: string }[]) {
        const facts = nodes.map((node): ConditionNode => (on.get(node)?.has(id) ? node : { kind: 'not', of: node }))
        for (let from = 0; from < facts.length; from += TOLD) {
          const of = facts.slice(from, from + TOLD)
          const { kind } = searched({ kind: 'allOf', of })
          counts[kind] += 1
          expect(kind, JSON.stringify({ of, me, rows, id })).not.to.equal('none')
        }
      }
    })
    fc.assert(law, { numRuns: tries(30, 200) })
    expect(counts.example, JSON.stringify(counts)).to.be.above(5)
  })

  it('decides what hangs on a fine point', () => {
    const field = (name: string, type: string, more: object = {}) => ({
      kind: 'field',
      of: 'record',
      path: [name],
      type,
      optional: true,
      ...more,
    })
    const literal = (type: string, value: unknown) => ({ kind: 'literal', type, value })
    const is = (left: object, by: string, right: object) => ({ kind: 'compare', by, left, right })
    const all = (...of: object[]) => ({ kind: 'allOf', of })
    const not = (of: object) => ({ kind: 'not', of })
    const [a, b] = [field('textA', 'text'), field('textB', 'text')]
    const [i, n] = [field('integerA', 'integer'), field('numberA', 'number')]
    const list = field('textList', 'text', { list: true })
    const chain = { name: 'parent', to: 'thing', by: [{ from: { path: ['parent'], type: 'id' }, to: { path: ['id'], type: 'id' } }] }
    const parent = (name: string, type: string) => field(name, type, { via: [chain] })
    const decided: readonly [what: string, node: object, kind: 'none' | 'example'][] = [
      ['equal to two texts', all(is(a, 'is', literal('text', 'x')), is(a, 'is', literal('text', 'y'))), 'none'],
      ['equal by way of another', all(is(a, 'is', b), is(b, 'is', literal('text', 'y')), not(is(a, 'is', literal('text', 'y')))), 'none'],
      ['missing equals nothing', all(is(a, 'is', b), { kind: 'presence', term: a, present: false }), 'none'],
      ['not equal because missing', all(not(is(a, 'is', a)), { kind: 'presence', term: a, present: false }), 'example'],
      ['there and equal to nothing', all({ kind: 'presence', term: a, present: true }, not(is(a, 'is', a))), 'example'],
      [
        'in a list beside one that is not, or else equal',
        all(is(list, 'has', a), not(is(list, 'has', b)), { kind: 'anyOf', of: [is(a, 'is', b), is(b, 'is', literal('text', 'x'))] }),
        'example',
      ],
      [
        'a whole number between neighbours',
        all(is(i, 'isMoreThan', literal('integer', 3)), is(i, 'isLessThan', literal('integer', 4))),
        'none',
      ],
      ['a number between them', all(is(n, 'isMoreThan', literal('number', 3)), is(n, 'isLessThan', literal('number', 4))), 'example'],
      ['in a circle', all(is(i, 'isLessThan', n), is(n, 'isLessThan', i)), 'none'],
      ['starts both ways', all(is(a, 'startsWith', literal('text', 'ab')), is(a, 'startsWith', literal('text', 'ac'))), 'none'],
      [
        'starts with the start of a start',
        all(is(a, 'startsWith', literal('text', 'ab')), not(is(a, 'startsWith', literal('text', 'a')))),
        'none',
      ],
      ['in a list and not', all(is(list, 'has', a), is(a, 'is', b), not(is(list, 'has', b))), 'none'],
      ['a list that has nothing in common with itself', all(is(list, 'has', a), not(is(list, 'overlaps', list))), 'none'],
      ['an empty list', not(is(list, 'overlaps', list)), 'example'],
      [
        'one record by its key',
        all(is(parent('textA', 'text'), 'is', literal('text', 'x')), not(is(parent('textA', 'text'), 'is', literal('text', 'x')))),
        'none',
      ],
      [
        'a field of no record',
        all(is(parent('textA', 'text'), 'is', literal('text', 'x')), { kind: 'presence', term: field('parent', 'id'), present: false }),
        'none',
      ],
      [
        'its own parent',
        all(is(field('parent', 'id'), 'is', field('id', 'id')), not(is(parent('textA', 'text'), 'is', a)), is(a, 'is', a)),
        'none',
      ],
      ['before now and after forever', is({ kind: 'now' }, 'isAfter', { kind: 'forever' }), 'none'],
    ]
    for (const [what, node, kind] of decided) expect(searched(node as ConditionNode).kind, what).to.equal(kind)
  })
})
