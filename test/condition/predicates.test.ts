// Comparisons with known values, of which the code has several copies for speed; and other places that mutants showed to be untested.
import { expect } from 'chai'
import { allOf, anyOf, type Condition, not, rulebook, toMany, toOne } from 'pachter'
import { type ConditionNode, describe as inEnglish, predicate } from 'pachter/condition'
import { wantedIndexes } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'

const id = z.string()
const NAMES = Array.from({ length: 24 }, (_, at) => `f${at}`)
const me = { shape: z.object({ id, tags: z.array(z.string()).optional(), counts: z.array(z.int()).optional() }), key: 'id' } as const
const wide = rulebook({
  me,
  records: { row: { shape: z.object({ id, ...Object.fromEntries(NAMES.map((name) => [name, z.string()])) }), key: 'id' } },
})

function conditionOf(book: { readonly rules: (of: any) => any }, type: string, write: (record: any, words: any) => unknown): ConditionNode {
  const { model } = book.rules({ [type]: (record: any, words: any) => ({ may: { read: [words.anyone.provided(write(record, words))] } }) })
  return model.types[type].rules.may.read[0].provided[0]
}

describe('one of some fields has one of two values', () => {
  for (const fields of [1, 2, 3, 4])
    for (const values of [['a'], ['a', 'b'], ['a', 'b', 'c']])
      it(`${fields} of them, ${values.length} values, whichever fields they are`, () => {
        for (const [at, first] of NAMES.entries()) {
          const names = [first, ...NAMES.slice(at + 1), ...NAMES].slice(0, fields)
          const test = predicate(conditionOf(wide as never, 'row', (row) => anyOf(...names.map((name) => row[name].isOneOf(values)))))
          const env = { now: 0, me: null }
          const none = Object.fromEntries(names.map((name) => [name, 'z']))
          expect(test(none, env), names.join()).to.equal(false)
          for (const name of names) {
            expect(test({ ...none, [name]: 'A' }, env)).to.equal(false)
            expect(test({ [name]: values[0] as string }, env)).to.equal(true)
            for (const value of values) expect(test({ ...none, [name]: value }, env), `${name} of ${names}`).to.equal(true)
          }
        }
      })
})

describe('a list inside an object', () => {
  const Shop = z.object({ id, address: z.object({ town: z.string(), floors: z.array(z.string()).optional() }).optional() })
  const shops = rulebook({ me, records: { shop: { shape: Shop, key: 'id' } } }).rules({
    shop: (shop, { anyone }) => ({ may: { read: [anyone.provided(shop.address.floors.isMissing())] } }),
  })
  for (const [where, open] of Object.entries(backends(shops)))
    it(`is missing ${where} if it is not there, whatever the object has besides`, async () => {
      const store = openStore(shops, await open())
      const system = store.asSystem('test')
      for (const [key, address] of Object.entries({
        a: undefined,
        b: { town: 'Ely' },
        c: { town: 'Ely', floors: [] },
        d: { town: 'Ely', floors: ['1'] },
      }))
        await system.create('shop', { id: key, ...(address === undefined ? {} : { address }) } as never)
      expect((await store.for({ id: 'x' }).list('shop', { fields: ['id'] })).map((one) => one.id).sort()).to.deep.equal(['a', 'b'])
    })
})

const chain = rulebook({
  me,
  records: {
    letter: {
      shape: z.object({
        id,
        deskId: id,
        otherId: id,
        note: z.string().optional(),
        tags: z.array(z.string()).optional(),
        sizes: z.array(z.number()).optional(),
      }),
      key: 'id',
      links: { desk: toOne('desk', 'deskId'), other: toOne('desk', 'otherId') },
    },
    desk: {
      shape: z.object({ id, floorId: id }),
      key: 'id',
      links: { floor: toOne('floor', 'floorId'), letters: toMany('letter', 'deskId') },
    },
    floor: { shape: z.object({ id, name: z.string() }), key: 'id' },
  },
})
const inLetter = (write: (letter: any, words: any) => unknown) => conditionOf(chain as never, 'letter', write)

describe('a comparison over two links under not', () => {
  const ACCEPTED: readonly [string, (letter: any) => Condition][] = [
    ['the field', (letter) => letter.desk.floor.name.isMissing()],
    ['the second record', (letter) => letter.desk.floor.isMissing()],
  ]
  for (const [what, guard] of ACCEPTED)
    it(`is accepted beside the case that ${what} is missing`, () => {
      expect(() => inLetter((letter) => anyOf(guard(letter), not(letter.desk.floor.name.is('attic'))))).not.to.throw()
    })
  const REFUSED: readonly [string, (letter: any) => Condition][] = [
    ['only the first record', (letter) => letter.desk.isMissing()],
    ['another record', (letter) => letter.other.isMissing()],
    ['the second record of another link', (letter) => letter.other.floor.isMissing()],
    ['another field', (letter) => letter.note.isMissing()],
  ]
  for (const [what, guard] of REFUSED)
    it(`is refused beside the case that ${what} is missing`, () => {
      expect(() => inLetter((letter) => anyOf(guard(letter), not(letter.desk.floor.name.is('attic'))))).to.throw(
        /missing data must never grant access/,
      )
    })
})

it('a stand-in for a list has to be a list of the same type', () => {
  const tags = (value: unknown) => inLetter((letter) => letter.tags.orElse(value).has('x'))
  expect(() => tags([])).not.to.throw()
  expect(() => tags(['x'])).not.to.throw()
  for (const odd of ['x', [1], [true]]) expect(() => tags(odd), JSON.stringify(odd)).to.throw(/orElse/)
  expect(() => inLetter((letter, { me: who }) => letter.tags.orElse(who.tags).has('x'))).not.to.throw()
  expect(() => inLetter((letter, { me: who }) => letter.sizes.orElse(who.counts).has(1))).to.throw(
    /orElse needs a list of number, not of integer/,
  )
})

it('records that are not reached by a link are described by their type', () => {
  const text = inEnglish(
    inLetter((_letter, { records }) => records('desk').some((desk: any) => desk.floorId.is('f-1'))),
    { record: 'the letter' },
  )
  expect(text).to.equal('for some desk: that desk\'s floorId is "f-1"')
})

it('an index is wanted once for each rule that could use it', () => {
  const { model } = chain.rules({
    letter: (letter, { me: who, anyone }) => ({
      may: { read: [anyone.provided(anyOf(letter.otherId.is(who.id), allOf(letter.otherId.is(who.id), letter.note.is('x'))))] },
    }),
  })
  for (const { rules } of wantedIndexes(model)) expect(rules).to.deep.equal([...new Set(rules)])
  expect(wantedIndexes(model).map(({ field }) => field)).to.include('otherId')
})
