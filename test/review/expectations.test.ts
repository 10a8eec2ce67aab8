import { readFileSync } from 'node:fs'
import Ajv2020 from 'ajv/dist/2020.js'
import { expect } from 'chai'
import fc from 'fast-check'
import { rulebook as numberedBook } from 'pachter'
import { type Expectation, expectationTitle, groundOf, judgeExpectation } from 'pachter/review'
import { ExpectationError, lookThrough } from 'pachter/testing'
import { readExpectations, withExpectations } from 'pachter-cli/files'
import { parse } from 'yaml'
import { z } from 'zod'
import { recordsOf, today } from '../../examples/world/open.js'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'
import { keyed, NOW } from '../support/agreement.js'
import { record } from '../support/conditions.js'
import { rulebook, people as somebody } from '../support/rulebooks.js'
import { tries } from '../support/tries.js'
import { expectations, files, ground, known, records } from '../support/world.js'

const look = lookThrough(book, { people, records, now: today })
const fails = (promise: Promise<void>, ...says: RegExp[]) =>
  promise.then(
    () => expect.fail('it held'),
    (error: ExpectationError) => {
      expect(error).to.be.instanceOf(ExpectationError).with.property('code', 'NOT_AS_EXPECTED')
      for (const words of says) expect(error.message).to.match(words)
    },
  )

/** How many records the problems are about. */
const told = (problems: readonly string[]) =>
  problems.reduce((sum, line) => sum + (/^(missing|too many): ([^;]*);/.exec(line)?.[2]?.split(', ').length ?? 0), 0)

describe('expectations', () => {
  for (const [file, text] of Object.entries(files))
    describe(`of ${file}`, () => {
      for (const one of readExpectations(text, file, look.known)) it(expectationTitle(one), () => look.holds(one))
    })

  it('hold where they say what is, and fail by as much as they are off', async () => {
    const law = fc.asyncProperty(rulebook, somebody, fc.array(record, { minLength: 1, maxLength: 8 }), async (random, given, unkeyed) => {
      const rows = keyed(unkeyed)
      const bare = groundOf(random as never, { people: given as never, records: { thing: rows as never }, now: new Date(NOW) })
      for (const person of Object.keys(given)) {
        const view = bare.viewpoint(person)
        for (const action of ['read', 'update', 'delete'] as const) {
          const seen = view.filter('thing', rows as never, action).map((row) => (row as { id: string }).id)
          const hidden = rows.map(({ id }) => id as string).filter((id) => !seen.includes(id))
          const about = { kind: 'reach', person, action, type: 'thing' } as const
          const judged = async (extent: 'exactly' | 'at least' | 'none', keys: string[]) =>
            told((await judgeExpectation(bare, { ...about, extent, keys })).problems)
          expect(await judged('exactly', seen)).to.equal(0)
          expect(await judged('at least', seen)).to.equal(0)
          expect(await judged('none', hidden)).to.equal(0)
          expect(await judged('exactly', seen.slice(1))).to.equal(Math.min(1, seen.length))
          expect(await judged('at least', [...hidden, ...seen])).to.equal(hidden.length)
          expect(await judged('none', [...hidden, ...seen])).to.equal(seen.length)
        }
      }
    })
    await fc.assert(law, { numRuns: tries(8, 60) })
  })

  it('say what differs', async () => {
    const ines = look.as('ines')
    await fails(ines.seesExactly('plot', ['p-01']), /too many: p-06; allowed by anyone, provided the plot's state is "vacant"/)
    await fails(
      ines.sees('plot', ['p-02']),
      /missing: p-02; .*the nearest clause is anyone, provided the plot's state is "vacant".*\[state: "let"\]/,
    )
    await fails(look.as('odile').sees('plot', ['p-01']), /share h-03's until .*is after now \[until: 2025-10-31T00:00:00Z, now: 2026-06-15/)
    await fails(ines.doesNotSee('plot', ['p-01']), /too many: p-01; allowed by holder/)
    await fails(ines.sees('plot', { 'p-01': ['wardenNotes'] }), /missing: wardenNotes; allowed by holder; all but wardenNotes/)
    await fails(ines.changesExactly('plot', { 'p-01': ['planting', 'state'] }), /missing: state/)
    // Of the team there is a job left.
    const kofi = look.as('kofi')
    const inTheWay = /w-01; its own rules allow it, but a record that belongs to it blocks it/
    await fails(kofi.mayExactly('delete', 'team', ['w-01', 'w-02']), new RegExp(`missing: ${inTheWay.source}`))
    await look.holds({ kind: 'access', person: 'kofi', type: 'team', key: 'w-01', actions: ['read', 'update'] })
    await look.holds({ kind: 'access', person: 'kofi', type: 'team', key: 'w-02', actions: ['read', 'update', 'delete'] })
    await fails(
      ines.mayExactly('delete', 'entry', ['e-01']),
      /too many: e-13; allowed by author: the entry's authorId is my id \["m-01"\]; or by host/,
    )
    await fails(ines.may('delete', 'plot', 'p-01'), /refused: Only the warden .* the nearest clause is warden, provided/)
    await fails(ines.may('create', 'plot', { sending: { number: -1 } }), /invalid|refused/)
    await fails(
      ines.isRefused('update', 'plot', 'p-01', { sending: { planting: 'leeks' } }),
      /allowed, and was done \(on a copy\); allowed by holder/,
    )
    await fails(ines.isRefused('delete', 'plot', 'p-01', { message: 'No.' }), /the message is: Only the warden/)
    await fails(ines.isRefused('read', 'plot', 'p-02', { as: 'refused' }), /it is not found, not refused/)
    await fails(ines.isRefused('update', 'plot', 'p-01'), /it may be changed; allowed by holder/)
    await fails(ines.has('openLedger'), /does not have it/)
    await fails(look.as('kofi').mayNotCall('handOver'), /may call it/)
    await fails(
      look.table('plot', 'p-01', { ines: ['read'], visitor: [] }),
      /ines, plot p-01: read\n.*is allowed, but should not be: update; allowed by holder/,
    )
    await fails(
      ines.may('create', 'entry', { sending: { plotId: 'p-01', audience: 'plot', text: 'x' }, giving: { authorId: 'm-02' } }),
      /authorId is "m-01", not "m-02"/,
    )
    await fails(look.as('hugo').sees('site', ['s-01']), /refused by the gate: .*banned/)
  })

  it('are spoken in a test, too: what holds is silent, and leaves no trace', async () => {
    const ines = look.as('ines')
    await ines.may('update', 'plot', 'p-01', { sending: { planting: 'leeks' }, giving: { planting: 'leeks' } })
    await ines.may('delete', 'entry', 'e-01')
    await ines.may('create', 'entry', { sending: { plotId: 'p-01', audience: 'plot', text: 'x' } })
    await look.as('bram').isRefused('update', 'plot', 'p-03')
    await look.as('kofi').may('update', 'plot', 'p-07', { sending: { holderId: 'm-01' }, within: 'handOver' })
    await look.table('plot', 'p-06', { yuki: ['read', 'update', 'delete'], farah: ['read', 'update'], hugo: [], 'everyone else': ['read'] })
    await look.as('kofi').sees('plot', 'all')
    for (const type of ['plot', 'entry'] as const) expect(records[type]).to.deep.equal(recordsOf(type))
  })

  it('cannot be of what is not there', async () => {
    const odd = look.as('ines') as any
    for (const wrong of [
      () => odd.sees('plit', []),
      () => (look as any).as('inez').sees('plot', []),
      () => odd.mayExactly('raed', 'plot', []),
    ])
      await (wrong() as Promise<void>).then(
        () => expect.fail('it held'),
        (error) => expect(error).to.have.property('code', 'UNKNOWN_NAME'),
      )
  })
})

describe('an expectation file', () => {
  const bare = (one: Expectation) => {
    const { place: _place, ...rest } = one
    return JSON.stringify(rest, Object.keys({ ...rest, ...flattened(rest) }).sort())
  }
  const flattened = (value: object): object =>
    Object.assign({}, ...Object.values(value).flatMap((inner) => (inner && typeof inner === 'object' ? [inner, flattened(inner)] : [])))

  it('is written as it is read', () => {
    for (const text of Object.values(files)) {
      const read = readExpectations(text, 'a', known)
      // Of fields, that the record is seen at all is said besides.
      const again = readExpectations(withExpectations(undefined, read), 'b', known)
      expect(again.map(bare).sort()).to.deep.equal([...new Set(read.map(bare))].sort())
      const comments = text.split('\n').filter((line) => line.trim().startsWith('#'))
      for (const line of comments) expect(withExpectations(text, read)).to.include(line.trim())
      expect(readExpectations(withExpectations(text, read), 'c', known)).to.have.length(read.length)
    }
  })

  it('holds whatever keys there are', () => {
    const text = fc.oneof(
      fc.string({ minLength: 1 }),
      fc.constantFrom('all', 'none', '1', 'null', 'true', 'a b', 'x: y', '#', '__proto__', ' a', '- b', '~'),
    )
    const law = fc.property(fc.uniqueArray(text, { minLength: 1, maxLength: 4 }), fc.boolean(), (keys, whole) => {
      const about = { person: 'ines', type: 'plot' } as const
      const written: Expectation[] = [
        { kind: 'reach', ...about, action: 'read', extent: 'exactly', keys },
        { kind: 'reach', ...about, action: 'delete', extent: 'exactly', keys: whole ? 'all' : [] },
        ...keys.map((key) => ({
          kind: 'fields' as const,
          ...about,
          action: 'update' as const,
          key,
          extent: 'none' as const,
          fields: ['rentDue', 'number'],
        })),
        ...keys.map((key) => ({ kind: 'try' as const, ...about, action: 'delete', key, allowed: whole })),
        { kind: 'try', ...about, action: 'create', sending: { planting: keys[0] }, allowed: false, as: 'invalid' },
        ...keys.map((key) => ({ kind: 'access' as const, ...about, key, actions: whole ? ['read'] : [] })),
      ]
      const read = readExpectations(withExpectations(undefined, written), 'f', { ...known, keys: () => keys })
      expect(read.map(bare).sort()).to.deep.equal(written.map(bare).sort())
    })
    fc.assert(law, { numRuns: tries(100, 300) })
  })

  const HEAD = 'pachter expectations: 1\n'
  const BAD: readonly [text: string, line: number, says: RegExp][] = [
    ['', 1, /begin with "pachter expectations: 1"/],
    ['pachter expectations: 2', 1, /begin with/],
    ['- ines', 1, /begin with/],
    [`${HEAD}poeple: {}`, 2, /no word "poeple". Did you mean "people"/],
    [`${HEAD}at: noon`, 2, /needs an instant/],
    [`${HEAD}people:\n  inez: { sees: { plot: all } }`, 3, /no person "inez". Did you mean "ines"/],
    [`${HEAD}people:\n  ines:\n    seas: { plot: all }`, 4, /no word "seas". Did you mean "sees"/],
    [`${HEAD}people:\n  ines:\n    sees: { plit: all }`, 4, /no record type "plit". Did you mean "plot"/],
    [`${HEAD}people:\n  ines:\n    sees:\n      plot: [p-01,\n        p-O2]`, 6, /no plot "p-O2". Did you mean/],
    [`${HEAD}people:\n  ines:\n    sees: { plot: { p-01: wardenNote } }`, 4, /no field of plot "wardenNote". Did you mean "wardenNotes"/],
    [`${HEAD}people:\n  ines:\n    sees: { plot: none }`, 4, /write it under "sees exactly"/],
    [`${HEAD}people:\n  ines:\n    may: [updat plot p-01]`, 4, /no action of plot "updat". Did you mean "update"/],
    [`${HEAD}people:\n  ines:\n    may: [update plot]`, 4, /add the key of the record/],
    [`${HEAD}people:\n  ines:\n    may: [create plot p-01]`, 4, /the server sets the key/],
    [`${HEAD}people:\n  ines:\n    may:\n      - update plot p-01: { sending: { plantin: x } }`, 5, /no field of plot "plantin"/],
    [
      `${HEAD}people:\n  ines:\n    may:\n      - update plot p-01: { within: handover }`,
      5,
      /no routine "handover". Did you mean "handOver"/,
    ],
    [`${HEAD}people:\n  ines:\n    may:\n      - delete plot p-01: { sending: { state: let } }`, 5, /cannot have "sending"/],
    [`${HEAD}people:\n  ines:\n    is refused:\n      - read plot p-01: { as: refusd }`, 5, /Did you mean "refused"/],
    [`${HEAD}people:\n  ines:\n    may exactly: { delete plot p-01: all }`, 4, /write "delete plot: \[p-01\]"/],
    [`${HEAD}people:\n  ines:\n    may exactly: { create plot: all }`, 4, /create has no record/],
    [`${HEAD}people:\n  ines:\n    has: [openLedgr]`, 4, /Did you mean "openLedger"/],
    [`${HEAD}people:\n  ines:\n    sees: all`, 4, /needs entries/],
    [`${HEAD}tables:\n  plot: { ines: read }`, 3, /write its type and key/],
    [`${HEAD}tables:\n  plot p-01: { ines: raed }`, 3, /no action of plot "raed"/],
    [`${HEAD}people:\n  ines: {}\n  ines: {}`, 4, /unique/],
    [`${HEAD}people: {`, 2, /Flow map/],
  ]
  for (const [text, line, says] of BAD)
    it(`${JSON.stringify(text.replace(HEAD, '').slice(0, 70))} is refused with its line`, () => {
      expect(() => readExpectations(text, 'some.yaml', known))
        .to.throw(says)
        .with.property('code', 'BAD_EXPECTATION')
      expect(() => readExpectations(text, 'some.yaml', known)).to.throw(new RegExp(`^some\\.yaml, line ${line}: `))
    })

  it('reports all mistakes of a file at once', () => {
    const text = [
      'pachter expectations: 1',
      'people:',
      '  inez: { sees: { plot: all } }',
      '  ines:',
      '    sees: { plit: all, plot: [p-O1] }',
      '    may:',
      '      - updat plot p-01',
      '      - update plot p-01: { sending: { plantin: x, numbr: 1 } }',
      '    has: [openLedgr]',
      '  bram:',
      '    sees exactly: { plot: [p-02] }',
      'tables:',
      '  plot p-01: { ines: raed }',
    ].join('\n')
    const told = (() => {
      try {
        readExpectations(text, 'some.yaml', known)
      } catch (error) {
        return (error as Error).message.split('\n')
      }
      return []
    })()
    expect(told.map((line) => /^some\.yaml, line (\d+): /.exec(line)?.[1])).to.deep.equal(['3', '5', '5', '7', '8', '8', '9', '13'])
    expect(told.map((line) => /"(\w[\w-]*)"/.exec(line)?.[1])).to.include.members([
      'inez',
      'plit',
      'p-O1',
      'updat',
      'plantin',
      'openLedgr',
      'raed',
    ])
  })

  it('fits the published JSON Schema, and what is of another form does not', () => {
    const schema = JSON.parse(readFileSync(new URL('../../cli/expectations.schema.json', import.meta.url), 'utf8'))
    const fits = new Ajv2020.default({ strict: true, allowUnionTypes: true }).compile(schema)
    for (const text of [...Object.values(files), withExpectations(undefined, expectations)])
      expect(fits(parse(text)), JSON.stringify(fits.errors)).to.equal(true)
    const odd = [
      '{}',
      'people: {}',
      `${HEAD}poeple: {}`,
      `${HEAD}people: { ines: { sees: all } }`,
      `${HEAD}people: { ines: { may: [update] } }`,
    ]
    for (const text of [
      ...odd,
      `${HEAD}people: { ines: { is refused: [{ read plot p-01: { as: no } }] } }`,
      `${HEAD}tables: { plot: { ines: read } }`,
    ])
      expect(fits(parse(text)), text).to.equal(false)
  })

  it('and calls take whole numbers for keys', async () => {
    const numbered = numberedBook({
      me: { shape: z.object({ id: z.int() }), key: 'id' },
      records: { plot: { shape: z.object({ id: z.int(), holderId: z.int(), state: z.string() }), key: 'id' } },
    }).rules({
      plot: (plot, { me, anyone }) => ({
        may: { read: [anyone.provided(plot.holderId.is(me.id))], update: [anyone.provided(plot.holderId.is(me.id)).only('state')] },
      }),
    })
    const mine = lookThrough(numbered, {
      people: { ann: { id: 7 } },
      records: { plot: [1, 2].map((id) => ({ id, holderId: 6 + id, state: 'let' })) },
    })
    const text = `${HEAD}people:
  ann: { sees exactly: { plot: [1] }, changes exactly: { plot: { 1: state } }, may: [update plot 1: { sending: { state: x } }], is refused: [read plot 2] }
tables: { plot 1: { ann: 'read, update', everyone else: nothing } }`
    const all = readExpectations(text, 'numbers.yaml', mine.known)
    expect(all).to.have.length(8)
    for (const one of all) await mine.holds(one)
    await mine.as('ann').sees('plot', { 1: ['state'] })
    await mine.as('unknown').seesExactly('plot', [])
    expect(() => readExpectations(text.replace('read plot 2', 'read plot 3'), 'numbers.yaml', mine.known)).to.throw(/there is no plot "3"/)
  })

  it('is judged at the instant that it names', async () => {
    const past = readExpectations(`${HEAD}at: 2025-06-01\npeople: { odile: { sees: { plot: [p-01] } } }`, 'past.yaml', known)
    expect((await judgeExpectation(ground, past[0] as Expectation)).held).to.equal(true)
    await fails(look.as('odile').sees('plot', ['p-01']), /missing: p-01/)
  })
})
