import { expect } from 'chai'
import { rulebook } from 'pachter'
import { describe as inWords } from 'pachter/condition'
import { COMPARISONS, compareValues, operatorOf, PHRASES, TAKES } from 'pachter/internal/condition'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'

// A made-up harbour: ships and the words painted on them.
const Ship = z.object({ id: z.string(), name: z.string().nullable(), call: z.string(), search: z.string() })
const NAMES = ['Gull', 'gull 100%', 'Sea_gull', 'a\\b', 'é́gull', null, '', '🌊 Gull 🌊']
const book = rulebook({
  me: { shape: z.object({ id: z.string(), word: z.string().optional() }), key: 'id' },
  records: { ship: { shape: Ship, key: 'id' } },
}).rules({
  ship: (ship, { anyone, me }) => ({
    may: { read: [anyone.provided(ship.name.contains(me.word)), anyone.provided(ship.call.contains(ship.search)).only('call')] },
  }),
})

describe('text that contains another', () => {
  for (const [where, open] of Object.entries(backends(book))) {
    it(`is found ${where}, whatever stands for itself, by rules and by filters`, async () => {
      const store = openStore(book, await open(), {
        newKey: (() => {
          let next = 0
          return () => `s-${next++}`
        })(),
      })
      const system = store.asSystem('a harbour')
      for (const [at, name] of NAMES.entries())
        await system.create('ship', { name, call: `X${at}`, search: at === 5 ? 'X' : at === 6 ? '' : 'x' })
      const seenBy = async (word?: string) => {
        const seen = await store.for({ id: 'm-1', ...(word === undefined ? {} : { word }) }).list('ship', { fields: ['name'] })
        return seen.flatMap(({ name }) => (name === undefined ? [] : [name]))
      }
      for (const word of ['gull', 'Gull', '%', '_', '\\', '🌊', '́', ' ', 'GULL', '\0', undefined]) {
        const expected = NAMES.filter((name) => word !== undefined && word !== '\0' && name?.includes(word))
        expect(await seenBy(word), JSON.stringify(word)).to.have.members(expected)
        if (word === undefined || word === '\0') continue
        const found = await system.list('ship', { where: (ship) => ship.name.contains(word) })
        expect(found.map(({ name }) => name)).to.have.members(expected)
      }
      // What is missing contains nothing, and is contained in nothing; what is empty is in every text.
      expect(await seenBy('')).to.have.members(NAMES.filter((name) => name !== null))
      expect((await store.for(null).list('ship')).map(({ call }) => call)).to.have.members(['X5', 'X6'])
    })
  }
})

it('every comparison can be said, and holds or fails as it says', () => {
  const left = { text: 'Gull', number: 2, time: 0, order: 2, any: 'Gull' }
  for (const by of COMPARISONS) {
    const { lists } = operatorOf(by)
    expect(new Set(PHRASES[by]).size, by).to.equal(2)
    const one = left[TAKES[by]]
    const listed = (is: boolean) => (is ? [one] : one)
    const holds = compareValues(by, listed(lists === 'left' || lists === 'both'), listed(lists === 'right' || lists === 'both'))
    expect(holds, by).to.equal(!['isLessThan', 'isMoreThan', 'isBefore', 'isAfter'].includes(by))
  }
  expect(
    inWords({
      kind: 'not',
      of: {
        kind: 'compare',
        by: 'contains',
        left: { kind: 'field', of: 'record', path: ['name'], type: 'text' },
        right: { kind: 'literal', type: 'text', value: 'x' },
      },
    }),
  ).to.equal('the record\'s name does not contain "x"')
})
