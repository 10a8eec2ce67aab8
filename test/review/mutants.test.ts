import { expect } from 'chai'
import fc from 'fast-check'
import { rulebook, toMany } from 'pachter'
import { accessMatrix, expectationTitle, groundOf, judgeExpectation, mutantsOf, runMutants } from 'pachter/review'
import { z } from 'zod'
import { book } from '../../examples/world/rulebook.js'
import { keyed, NOW } from '../support/agreement.js'
import { within } from '../support/command.js'
import { record } from '../support/conditions.js'
import { rulebook as random, people as somebody } from '../support/rulebooks.js'
import { tries } from '../support/tries.js'
import { ground, types } from '../support/world.js'

const Plot = z.object({ id: z.string(), holderId: z.string(), state: z.string(), rent: z.number() })
const Share = z.object({ id: z.string(), plotId: z.string(), memberId: z.string() })
const small = rulebook({
  me: { shape: z.object({ id: z.string(), roles: z.array(z.string()), banned: z.boolean() }), key: 'id' },
  records: { plot: { shape: Plot, key: 'id', links: { shares: toMany('share', 'plotId') } }, share: { shape: Share, key: 'id' } },
})
  .gate(({ me }) => me.banned.orElse(false).is(false))
  .routines({ handOver: ({ role }) => [role('secretary')] })
  .standings({ share: (share, { me }) => ({ helper: share.memberId.is(me.id) }) })
  .standings({
    plot: (plot, { me }) => ({
      holder: plot.holderId.is(me.id),
      helper: plot.shares.some((share) => share.standing.helper),
    }),
  })
  .rules({
    plot: (plot, { me, standing: { holder, helper }, role, signedIn }) => ({
      gate: { delete: signedIn },
      may: {
        read: [holder, helper.except('rent'), role('secretary')],
        create: [holder],
        update: [
          holder.provided(plot.state.is('let')).only('state').afterwards(holder),
          role('secretary').only('holderId').within('handOver'),
        ],
        delete: [holder],
      },
      vetoes: [
        { actions: ['delete'], provided: plot.state.is('let'), unless: role('secretary').and(plot.rent.is(0)), message: 'It is let.' },
      ],
      stamps: { create: { holderId: me.id } },
    }),
    share: (_share, { standing: { helper } }) => ({ may: { read: [helper] } }),
  })
  .privileges({ openLedger: ({ role }) => [role('secretary')] })

describe('rule mutants', () => {
  const steps = mutantsOf(small.model).map(({ type, rule, step }) => `${type ?? ''} | ${rule} | ${step}`)
  const STEPS: readonly [what: string, step: string][] = [
    ["a clause's condition", 'plot | read, holder | its condition dropped'],
    ['a standing for being signed in', 'plot | read, holder | holder becomes everyone who is signed in'],
    [
      'a part of several',
      'plot | update, holder, provided the plot\'s state is "let"; only state; afterwards holder | removed: the plot\'s state is "let"',
    ],
    ['a comparison turned round', "plot | standing holder | negated: the plot's holderId is my id"],
    ['a wider limit', 'plot | read, helper; all but rent | rent too'],
    ['a veto', 'plot | veto, the plot\'s state is "let", unless role secretary and the plot\'s rent is 0 | dropped'],
    [
      'what a veto is provided',
      'plot | veto, the plot\'s state is "let", unless role secretary and the plot\'s rent is 0 | applies always',
    ],
    [
      'a wider exception',
      "plot | veto, the plot's state is \"let\", unless role secretary and the plot's rent is 0 | removed: the plot's rent is 0",
    ],
    ['the gate', ' | the gate | dropped'],
    ['the gate of a type', 'plot | delete, the gate | dropped'],
    [
      'what must hold afterwards',
      'plot | update, holder, provided the plot\'s state is "let"; only state; afterwards holder | afterwards dropped: holder',
    ],
    ['a stamp', 'plot | stamp on create, holderId | dropped'],
    ['the bounds of a routine', 'plot | update, role secretary; only holderId; within handOver | outside of the routine too'],
    ['a privilege', ' | privilege openLedger | its condition dropped'],
    ['who calls a routine', ' | routine handOver | role secretary becomes everyone who is signed in'],
  ]
  for (const [what, step] of STEPS) it(`weaken ${what}`, () => expect(steps).to.include(step))

  it('are each another rulebook, that was made once', () => {
    const texts = mutantsOf(small.model).map((mutant) => JSON.stringify(mutant.model()))
    expect(new Set([...texts, JSON.stringify(small.model)]).size).to.equal(texts.length + 1)
  })

  it('redefine a standing wherever it is asked for, and only that one', () => {
    const mutant = mutantsOf(small.model).find(({ rule, step }) => rule === 'standing helper' && step.startsWith('negated: the share'))
    const data = {
      plot: [{ id: 'p1', holderId: 'm1', state: 'let', rent: 1 }],
      share: [{ id: 'h1', plotId: 'p1', memberId: 'm2' }],
    }
    const people = Object.fromEntries(['m1', 'm2', 'm3'].map((id) => [id, { id, roles: [], banned: false }]))
    const readers = (model: typeof small.model, type: string, key: string) => {
      const matrix = accessMatrix({ model }, type, { people, records: data })
      return matrix.people.filter((name) => matrix.allows(name, key, 'read'))
    }
    expect(readers(small.model, 'plot', 'p1')).to.deep.equal(['m1', 'm2'])
    expect(readers(mutant?.model() as never, 'plot', 'p1')).to.deep.equal(['m1', 'm3'])
    expect(readers(mutant?.model() as never, 'share', 'h1')).to.deep.equal(['m1', 'm3'])
    // Of the demo world, an author of entries is none of notices.
    const author = mutantsOf(book.model)
      .find(({ type, rule }) => type === 'notice' && rule === 'standing author')
      ?.model()
    for (const type of types) expect(author?.types[type] === book.model.types[type], type).to.equal(String(type) !== 'notice')
  })

  it('are told apart by an expectation that holds, and fails for the weaker rules; or by nothing that the matrix shows', async () => {
    const law = fc.asyncProperty(random, somebody, fc.array(record, { minLength: 1, maxLength: 5 }), async (any, given, unkeyed) => {
      const rows = keyed(unkeyed)
      const { model } = any as { model: typeof small.model }
      const bare = groundOf({ model }, { people: given as never, records: { thing: rows as never }, now: new Date(NOW) })
      for (const { mutant, outcome, proposal } of await runMutants(bare, [])) {
        const weaker = bare.under(mutant.model())
        if (proposal !== undefined) {
          expect((await judgeExpectation(bare, proposal)).problems, expectationTitle(proposal)).to.deep.equal([])
          expect((await judgeExpectation(weaker, proposal)).held, `${mutant.rule}: ${mutant.step}`).to.equal(false)
          continue
        }
        expect(outcome).to.equal('equivalent')
        const [was, is] = [bare, weaker].map((one) => accessMatrix(one, 'thing', { ...bare, people: given as never }))
        for (const person of Object.keys(given))
          for (const key of was?.keys ?? [])
            expect(is?.access(person, key).map(({ action, fields }) => [action, fields])).to.deep.equal(
              was?.access(person, key).map(({ action, fields }) => [action, fields]),
            )
      }
    })
    await fc.assert(law, { numRuns: tries(5, 40) })
  })

  it('come out in both ways in a rulebook of few rules: some that something would notice, some that do nothing on its data', async () => {
    const records = { plot: [{ id: 'p1', holderId: 'm1', state: 'let', rent: 1 }], share: [{ id: 'h1', plotId: 'p1', memberId: 'm2' }] }
    const given = Object.fromEntries(['m1', 'm2', 'm3'].map((id) => [id, { id, roles: [], banned: false }]))
    const outcomes = (await runMutants(groundOf(small, { people: given, records: records as never, now: new Date(NOW) }), [])).map(
      ({ mutant: { rule, step }, outcome }) => `${outcome}: ${rule}, ${step}`,
    )
    expect(outcomes).to.satisfy((all: string[]) => all.some((one) => one.startsWith('survived: standing helper')), outcomes.join('\n'))
    expect(outcomes).to.satisfy((all: string[]) => all.some((one) => one.startsWith('equivalent')), outcomes.join('\n'))
  })

  // The whole of it takes half a minute: CI runs it by itself, `npx pachter check --mutants`.
  it('of the demo world are all killed if they make a difference', async () => {
    const { status, stdout } = await within('check --mutants --type plot --type team --type inspection --format json')
    const results = JSON.parse(stdout) as { outcome: string; type?: string; rule: string; step: string }[]
    expect(results.filter(({ outcome }) => outcome === 'survived')).to.deep.equal([])
    expect(status).to.equal(0)
    expect(results.filter(({ outcome }) => outcome === 'killed').length).to.be.greaterThan(80)
    const those = mutantsOf(book.model).filter(({ type }) => ['plot', 'team', 'inspection'].includes(type ?? ''))
    expect(results.length).to.equal(those.length)
  })

  it('are survived without expectations, and what is proposed then notices them', async () => {
    const results = await runMutants(ground, [], { types: ['invoice'] })
    expect(results.map(({ outcome }) => outcome)).to.deep.equal(Array(15).fill('survived'))
    const proposals = results.flatMap(({ proposal }) => proposal ?? [])
    const again = await runMutants(ground, proposals, { types: ['invoice'] })
    expect(again.map(({ outcome }) => outcome)).to.deep.equal(Array(15).fill('killed'))
  })
})
