// The law of drift: where any answer of the store differs between two rulebooks, for any of the people, drift is not empty.
import { expect } from 'chai'
import fc from 'fast-check'
import { rulebook, toOne } from 'pachter'
import { baselineOf, driftBetween, isNoDrift } from 'pachter/review'
import { inMemory, openStore } from 'pachter/store'
import { baselineText, readBaseline } from 'pachter-cli/files'
import { z } from 'zod'
import { keyed, NOW } from '../support/agreement.js'
import { record } from '../support/conditions.js'
import { rulebook as random, people as somebody } from '../support/rulebooks.js'
import { tries } from '../support/tries.js'

const id = z.string()
const Plot = z.object({ id, holderId: id, state: z.enum(['vacant', 'let']), rent: z.int(), madeById: id.optional() })

/** Parts of rules, each of which lets or withholds something; most of them nothing that stands in the records at hand. */
const PARTS = [
  'a privilege opened',
  'a routine opened',
  'giving away',
  'a clause within a routine',
  'a field more',
  'a gate',
  'a gate of all',
  'a veto',
  'a veto of what becomes',
  'creating',
  'creating with a key',
  'a stamp',
  'a stamp of updates',
  'reading what is vacant',
  'deleting',
  'a link that leads anywhere',
  'an action of its own',
] as const
type Part = (typeof PARTS)[number]

function bookOf(parts: readonly Part[]) {
  const has = (part: Part) => parts.includes(part)
  const bare = rulebook({
    me: { shape: z.object({ id, roles: z.array(z.string()) }), key: 'id' },
    records: {
      member: { shape: z.object({ id }), key: 'id' },
      plot: {
        shape: Plot,
        key: 'id',
        links: { holder: toOne('member', 'holderId', { target: has('a link that leads anywhere') ? 'any' : 'visible' }) },
        actions: ['confirm'],
      },
    },
  })
    .privileges({ ledger: (words) => (has('a privilege opened') ? [words.signedIn] : [words.role('treasurer')]) })
    .routines({ close: (words) => (has('a routine opened') ? [words.signedIn] : [words.role('secretary')]) })
  const gated = has('a gate of all') ? bare.gate(({ me }) => me.id.is('bob')) : bare
  return gated.rules({
    member: (member, { me, anyone }) => ({ may: { read: [anyone.provided(member.id.is(me.id))] } }),
    plot: (plot, words) => {
      const { me, anyone, role, after } = words
      const holder = anyone.provided(plot.holderId.is(me.id))
      const writes = anyone.provided(plot.holderId.is(me.id))
      const limited = has('a field more') ? writes.only('state', 'holderId', 'rent') : writes.only('state', 'holderId')
      return {
        gate: has('a gate') ? { update: plot.rent.isLessThan(50) } : {},
        may: {
          read: [holder, ...(has('reading what is vacant') ? [words.anyone.provided(plot.state.is('vacant')).only('state')] : [])],
          create: [
            ...(has('creating') ? [anyone.provided(plot.rent.isAtMost(10))] : []),
            ...(has('creating with a key') ? [anyone.provided(plot.rent.is(3)).overriding('id')] : []),
          ],
          update: [
            has('giving away') ? limited.afterwards(words.signedIn) : limited,
            ...(has('a clause within a routine') ? [role('secretary').only('rent').within('close')] : []),
          ],
          delete: has('deleting') ? [anyone.provided(plot.holderId.is(me.id)).provided(plot.state.is('vacant'))] : [],
          confirm: has('an action of its own') ? [role('secretary')] : [],
        },
        vetoes: [
          ...(has('a veto') ? [{ actions: ['update' as const], provided: plot.rent.is(77), message: 'No.' }] : []),
          ...(has('a veto of what becomes') ? [{ actions: ['update' as const], provided: after.state.is('vacant'), message: 'No.' }] : []),
        ],
        stamps: {
          create: has('a stamp') ? { madeById: me.id } : {},
          update: has('a stamp of updates') ? { madeById: me.id } : {},
        },
      }
    },
  })
}

const people = {
  ann: { id: 'ann', roles: [] },
  bob: { id: 'bob', roles: ['secretary', 'treasurer'] },
  visitor: null,
}
const data = {
  member: [{ id: 'ann' }, { id: 'bob' }],
  plot: [
    { id: 'p1', holderId: 'ann', state: 'let', rent: 5 },
    { id: 'p2', holderId: 'bob', state: 'vacant', rent: 60 },
  ],
}
const CHANGES = [{ state: 'vacant' }, { holderId: 'bob' }, { holderId: 'cid' }, { rent: 7 }, { rent: 77 }, { state: 'let', rent: 99 }, {}]
const NEW = [
  { holderId: 'ann', state: 'let', rent: 5 },
  { holderId: 'bob', state: 'let', rent: 3 },
  { id: 'p9', holderId: 'ann', state: 'let', rent: 3 },
  { holderId: 'ann', state: 'vacant', rent: 30 },
  { holderId: 'ann', state: 'let', rent: 3, madeById: 'ann' },
]

/** Everything that the store answers to everybody. Of what is made, what its maker is given back. */
async function answersOf(book: ReturnType<typeof bookOf>): Promise<string> {
  const told: unknown[] = []
  const said = (work: () => Promise<unknown>) =>
    work().then(
      (answer) => told.push(answer ?? null),
      (error: { code: string }) => told.push(error.code),
    )
  for (const me of Object.values(people)) {
    const fresh = () => openStore(book, inMemory(data as never), { newKey: () => 'new', now: () => new Date(NOW) }).for(me as never)
    const mine = fresh()
    await said(() => mine.list('plot'))
    await said(() => mine.has('ledger'))
    for (const { id: key } of data.plot) {
      for (const action of ['read', 'delete', 'confirm'] as const)
        await said(async () => {
          const { outcome, fields } = await mine.verdict(action, 'plot', key)
          return { outcome, fields }
        })
      for (const change of CHANGES) {
        await said(() => fresh().update('plot', key, change as never))
        await said(() => fresh().routine('close', (inside) => inside.update('plot', key, change as never)))
      }
    }
    for (const one of NEW) await said(() => fresh().create('plot', one as never))
  }
  return JSON.stringify(told)
}

const baseline = (book: { model: never } | ReturnType<typeof bookOf>, given: object = people, records: object = data) =>
  baselineOf(book as never, { people: given as never, records: records as never, now: new Date(NOW) })

describe('drift', () => {
  it('is not empty where any answer of the store differs', async () => {
    let differing = 0
    const subset = fc.subarray([...PARTS])
    await fc.assert(
      fc.asyncProperty(subset, subset, fc.constantFrom(...PARTS), fc.boolean(), async (one, other, part, near) => {
        // Mostly the two differ by one part alone, as revisions do.
        const second = near ? (one.includes(part) ? one.filter((each) => each !== part) : [...one, part]) : other
        const books = [bookOf(one), bookOf(second)] as const
        const drift = driftBetween(baseline(books[0]), baseline(books[1]), books[1].model)
        const [before, after] = [await answersOf(books[0]), await answersOf(books[1])]
        if (before === after) return
        differing++
        expect(isNoDrift(drift), `${one.join()} and ${second.join()}`).to.equal(false)
      }),
      { numRuns: tries(8, 150), examples: [[[], [PARTS[0]], PARTS[0], false]] },
    )
    expect(differing).to.be.greaterThan(0)
  }).timeout(120_000)

  for (const part of PARTS)
    it(`tells of ${part}, and of nothing where nothing is otherwise`, () => {
      const [without, withIt] = [bookOf([]), bookOf([part])]
      const drift = driftBetween(baseline(without), baseline(withIt), withIt.model)
      expect(isNoDrift(drift)).to.equal(false)
      expect(isNoDrift(driftBetween(baseline(withIt), baseline(bookOf([part])), withIt.model))).to.equal(true)
      const kept = readBaseline(baselineText(baseline(withIt)), 'b', withIt.model)
      expect(isNoDrift(driftBetween(kept, baseline(withIt), withIt.model))).to.equal(true)
    })

  it('names who came to have a privilege, to call a routine, and what they may do within it', () => {
    const [before, after] = [bookOf([]), bookOf(['a privilege opened', 'a routine opened', 'a clause within a routine'])]
    const { grants, gained, rules } = driftBetween(baseline(before), baseline(after), after.model)
    expect(grants).to.deep.equal([
      { kind: 'privilege', name: 'ledger', person: 'ann', has: true },
      { kind: 'routine', name: 'close', person: 'ann', has: true },
    ])
    const within = gained.find(({ action }) => action === 'update within close')
    expect([within?.person, within?.key]).to.deep.equal(['bob', 'p2'])
    expect(rules.map(({ of }) => of).sort()).to.deep.equal(['plot update', 'privileges', 'routines'])
  })

  it('sees a difference of any two random rulebooks that decide differently', () => {
    fc.assert(
      fc.property(random, random, somebody, fc.array(record, { minLength: 1, maxLength: 4 }), (one, other, given, unkeyed) => {
        const thing = keyed(unkeyed)
        const [was, is] = [one, other].map((book) => baseline(book, given, { thing }))
        const drift = driftBetween(was as never, is as never, (other as { model: never }).model)
        const models = [one, other].map((book) =>
          JSON.stringify((book as { model: { types: { thing: { rules: unknown } }; gate?: unknown } }).model),
        )
        if (models[0] === models[1]) expect(isNoDrift(drift)).to.equal(true)
        else if (isNoDrift(drift)) {
          // Then they say the same, but for names.
          const plain = (text: string | undefined) => text?.replace(/"title":"[^"]*",?/g, '')
          expect(plain(models[0])).to.equal(plain(models[1]))
        }
      }),
      { numRuns: tries(8, 100) },
    )
  })
})
