import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect } from 'chai'
import { rulebook, toOne } from 'pachter'
import { coverageLcov, coverageListing, coverageOf, coverageReport, groundOf } from 'pachter/review'
import { readExpectations } from 'pachter-cli/files'
import { z } from 'zod'
import { within } from '../support/command.js'
import { expectations, ground, types } from '../support/world.js'

const Plot = z.object({ id: z.string(), holderId: z.string(), state: z.string(), rent: z.number() })
const Entry = z.object({ id: z.string(), plotId: z.string(), text: z.string() })
const book = rulebook({
  me: { shape: z.object({ id: z.string(), roles: z.array(z.string()) }), key: 'id' },
  records: { plot: { shape: Plot, key: 'id' }, entry: { shape: Entry, key: 'id', links: { plot: toOne('plot', 'plotId') } } },
})
  .standings({ plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id) }) })
  .rules({
    plot: (plot, { me, standing: { holder }, anyone, role }) => ({
      may: {
        read: [holder, anyone.provided(plot.state.is('vacant'), plot.rent.isLessThan(9)).only('state')],
        create: [holder],
        update: [holder.only('state').afterwards(role('warden'))],
      },
      vetoes: [{ actions: ['update'], provided: plot.state.is('let'), unless: role('warden'), message: 'It is let.' }],
      stamps: { create: { holderId: me.id } },
    }),
    entry: (entry) => ({ may: { read: [entry.plot.standing.holder] } }),
  })
const small = groundOf(book, {
  people: { ann: { id: 'a', roles: [] }, ben: { id: 'b', roles: ['warden'] } },
  records: {
    plot: [
      { id: 'p1', holderId: 'a', state: 'let', rent: 5 },
      { id: 'p2', holderId: 'b', state: 'vacant', rent: 5 },
    ],
    entry: [{ id: 'e1', plotId: 'p1', text: 'x' }],
  },
})
const known = { model: book.model, people: Object.keys(small.people), keys: small.keys }
const covered = (yaml: string) => {
  const { points } = coverageOf(small, readExpectations(`pachter expectations: 1\npeople:\n  ${yaml}`, 'x', known))
  return Object.fromEntries(
    points.flatMap(({ rule, text, depth, counts }) =>
      counts[0] + counts[1] === 0 ? [] : [[depth === 0 ? rule : `${rule} > ${text}`, counts]],
    ),
  )
}
const ANYONE = 'read, anyone, provided the plot\'s state is "vacant" and the plot\'s rent is less than 9; only state'

describe('coverage', () => {
  const CASES: readonly [what: string, yaml: string, counts: object][] = [
    [
      'a clause and its parts, and the standing it names',
      'ann: { sees exactly: { plot: [p1, p2] } }',
      {
        'standing holder': [1, 1],
        'read, holder': [1, 1],
        [ANYONE]: [1, 1],
        [`${ANYONE} > the plot's state is "vacant"`]: [1, 1],
        [`${ANYONE} > the plot's rent is less than 9`]: [2, 0],
      },
    ],
    [
      'a standing asked of a linked record',
      'ben: { does not see: { entry: [e1] } }',
      {
        'standing holder': [0, 1],
        "read, holder of the entry's plot": [0, 1],
      },
    ],
    [
      'a limit',
      'ann: { sees: { plot: { p2: state } }, does not see: { plot: { p2: rent } } }',
      {
        'standing holder': [0, 1],
        'read, holder': [0, 1],
        [ANYONE]: [1, 0],
        [`${ANYONE} > the plot's state is "vacant"`]: [1, 0],
        [`${ANYONE} > the plot's rent is less than 9`]: [1, 0],
        [`${ANYONE} > only state`]: [1, 1],
      },
    ],
    [
      'a stamp',
      'ben: { may: [create plot: { sending: { state: let, rent: 1 } }], is refused: [create plot: { sending: { state: let, rent: 1, holderId: a } }] }',
      {
        'standing holder': [1, 1],
        'create, holder': [1, 1],
        'stamp on create, holderId': [1, 1],
      },
    ],
  ]
  for (const [what, yaml, counts] of CASES) it(`counts ${what}`, () => expect(covered(yaml)).to.deep.equal(counts))

  it('counts vetoes with their exceptions, and what must hold afterwards', () => {
    const counts = covered('ann: { is refused: [update plot p1: { sending: { state: vacant } }] }')
    expect(counts['veto on update, the plot\'s state is "let", unless role warden']).to.deep.equal([1, 0])
    expect(counts['update, holder; only state; afterwards role warden: afterwards']).to.deep.equal([0, 1])
  })

  it('of the demo world is complete, except for what no data can cause', () => {
    const { points } = coverageOf(ground, expectations)
    const open = points.filter(({ counts }) => counts.includes(0))
    expect(open.map(({ rule }) => rule)).to.deep.equal(['update, role secretary; only holderId, coHolderIds, state; within handOver'])
    for (const type of types) expect(points.some((point) => point.type === type)).to.equal(true)
    const none = coverageOf(ground, [])
    expect(none.points.every(({ counts }) => counts[0] + counts[1] === 0)).to.equal(true)
  })

  it('is told as a tracefile, a line of it for each line of the listing', () => {
    const coverage = coverageOf(
      small,
      readExpectations('pachter expectations: 1\npeople: { ann: { sees exactly: { plot: [p1, p2] } } }', 'x', known),
    )
    const lines = coverageListing(coverage).trimEnd().split('\n')
    const trace = coverageLcov(coverage, '/x/rules.txt').split('\n')
    const number = (name: string) => Number(trace.find((line) => line.startsWith(`${name}:`))?.slice(name.length + 1))
    expect(trace.filter((line) => line.startsWith('DA:')).length).to.equal(lines.length)
    expect([number('LF'), number('LH')]).to.deep.equal([lines.length, 5])
    expect([number('BRF'), number('BRH')]).to.deep.equal([2 * lines.length, 9])
    const at = lines.findIndex((line) => line.trim() === "the plot's rent is less than 9") + 1
    expect(trace).to.include(`DA:${at},2`).and.to.include(`BRDA:${at},0,0,2`).and.to.include(`BRDA:${at},0,1,0`)
    expect(trace).to.include(`BRDA:${lines.length},0,0,-`)
    const page = coverageReport(coverage, { now: new Date(0), title: '<b>' })
    expect(page)
      .to.include('&lt;b&gt;')
      .and.to.include('never failed')
      .and.not.to.match(/https?:/)
  })

  it('is printed, and written where a folder is named', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'pachter-coverage-'))
    try {
      const { status, stdout } = await within(`check --coverage ${folder}/new/here --type plot`)
      expect(status).to.equal(0)
      expect(stdout)
        .to.match(/held 12, never failed/)
        .and.to.match(/39 of 40 rules and parts had both outcomes/)
      for (const name of ['index.html', 'lcov.info', 'rules.txt'])
        expect(readFileSync(join(folder, 'new/here', name), 'utf8')).to.include('')
      expect((await within(`check --coverage ${folder}/new/here/index.html`)).status).to.equal(2)
      expect((await within('check --coverage --mutants')).status).to.equal(2)
    } finally {
      rmSync(folder, { recursive: true })
    }
  })
})
