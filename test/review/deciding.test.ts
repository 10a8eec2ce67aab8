import { expect } from 'chai'
import fc from 'fast-check'
import { decidingOf } from 'pachter/internal/review'
import { groundOf } from 'pachter/review'
import type { book } from '../../examples/world/rulebook.js'
import { keyed, NOW } from '../support/agreement.js'
import { record } from '../support/conditions.js'
import { rulebook as random, people as somebody } from '../support/rulebooks.js'
import { tries } from '../support/tries.js'
import { ground, types } from '../support/world.js'

type Model = typeof book.model
type Ground = ReturnType<typeof groundOf>

/** The model without one rule of a type. */
function without(
  model: Model,
  type: string,
  { kind, actions, number }: { kind: string; actions: readonly string[]; number: number },
): Model {
  const { gate, ...rest } = model
  const known = model.types[type] as never as { rules: { may: Record<string, object[]>; gates: Record<string, object>; vetoes: object[] } }
  const { may, gates, vetoes } = known.rules
  const others = <T>(all: readonly T[]) => all.filter((_, at) => at !== number)
  const [action = ''] = actions
  const rules =
    kind === 'clause'
      ? { may: { ...may, [action]: others(may[action] ?? []) } }
      : kind === 'veto'
        ? { vetoes: others(vetoes) }
        : { gates: number === 0 ? gates : Object.fromEntries(Object.entries(gates).filter(([name]) => name !== action)) }
  const types = { ...model.types, [type]: { ...known, rules: { ...known.rules, ...rules } } }
  return { ...rest, ...(gate !== undefined && !(kind === 'gate' && number === 0) ? { gate } : {}), types } as never
}

/** Holds each rule's marks against the verdicts with and without it. Gives how many decide something, and how many nothing. */
function holdsFor(of: Ground, type: string): [decides: number, nothing: number] {
  const deciding = decidingOf(of, type, of)
  const { fields: shape, keys } = of.model.types[type] as { fields: object; keys: readonly string[] }
  const names = Object.keys(shape).filter((name) => !keys.includes(name))
  const counts: [number, number] = [0, 0]
  for (const [at, rule] of deciding.rules.entries()) {
    if (rule.cells === undefined || rule.kind === 'standing') continue
    const bare = of.under(without(of.model as Model, type, rule))
    const marks = deciding.marks(at)
    let [cells, alone] = [0, 0]
    for (const [one, person] of Object.keys(of.people).entries())
      for (const [row, key] of of.keys(type).entries()) {
        const record = of.record(type, key) as never
        const isOtherwise = rule.actions.some((action) => {
          if (action === 'create') return false
          const [is, was] = [of, bare].map((on) => on.viewpoint(person).verdict(action as never, type as never, record))
          const fields = ({ allowed, fields: some }: { allowed: boolean; fields?: readonly string[] | undefined }) =>
            JSON.stringify(allowed && [...(some ?? names)].sort())
          return fields(is as never) !== fields(was as never)
        })
        const mark = marks[one]?.[row] ?? 0
        expect(mark === 2, `${rule.kind} ${rule.title}, ${person} ${type} ${key}`).to.equal(isOtherwise)
        cells += Number(mark > 0)
        alone += Number(mark === 2)
      }
    expect([rule.cells, rule.alone]).to.deep.equal([cells, alone])
    counts[alone > 0 ? 0 : 1]++
  }
  return counts
}

describe('what a rule decides', () => {
  it('is what would differ without the rule', () => {
    for (const type of types) holdsFor(ground, type)
    const { rules } = decidingOf(ground, 'plot', ground)
    const said = (kind: string, title: string) => rules.find((one) => one.kind === kind && one.title.startsWith(title))
    expect(said('clause', 'helper; only planting')).to.deep.include({ cells: 2, alone: 1 })
    expect(said('standing', 'holder')?.meaning).to.include("the plot's holderId is my id")
    expect(said('stamp', 'rentDue')).to.deep.include({ actions: ['create'], people: [] })
    expect(said('clause', 'role secretary; only holderId'), 'which counts within a routine only').not.to.have.property('cells')
    expect(rules.find(({ kind, actions }) => kind === 'clause' && actions[0] === 'create')?.people.map(({ name }) => name)).to.deep.equal([
      'tomasz',
      'yuki',
    ])
  })

  it('is that of random rulebooks, too', () => {
    let [decides, nothing] = [0, 0]
    const law = fc.property(random, somebody, fc.array(record, { minLength: 1, maxLength: 5 }), (any, given, unkeyed) => {
      const { model } = any as { model: Model }
      const rows = keyed(unkeyed)
      const all = groundOf({ model }, { people: given as never, records: { thing: rows as never }, now: new Date(NOW) })
      const [some, none] = holdsFor(all, 'thing')
      decides += some
      nothing += none
    })
    fc.assert(law, { numRuns: tries(8, 60) })
    expect(
      [decides, nothing].every((count) => count > 0),
      `${decides} and ${nothing}`,
    ).to.equal(true)
  })
})
