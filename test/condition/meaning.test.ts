import { expect } from 'chai'
import fc from 'fast-check'
import { allOf, anyOf, forever, indexed, isPachterError, not, now, rulebook, toOne } from 'pachter'
import { type ConditionNode, conditionFromJson, describe as inEnglish, predicate, simplify } from 'pachter/condition'
import { bindRecord, compareText, instant, TRUE } from 'pachter/internal/condition'
import type { Catalog } from 'pachter/internal/sql'
import { compile, createTables, type Dialect, sqlite } from 'pachter/sql'
import { z } from 'zod'
import { openSqlite } from '../support/sqlite.js'

const Thing = z.object({
  id: z.string(),
  owner: z.string().nullish(),
  size: z.number().nullish(),
  count: z.int().nullish(),
  at: z.date().nullish(),
  day: z.string().nullish(),
  tags: z.array(z.string()).nullish(),
  open: z.boolean().nullish(),
  parts: z.array(z.object({ name: z.string().nullish() })).nullish(),
})
const Me = z.object({ id: z.string(), email: z.string().nullish(), sites: z.array(z.string()).nullish() })
const begun = rulebook({ me: { shape: Me, key: 'id' }, records: { thing: { shape: Thing, key: 'id', times: ['day'] } } })

const NOW = new Date('2026-06-15T09:00:00Z')
/** The condition that an author writes, as a node. */
function written(write: (thing: any, me: any) => unknown): ConditionNode {
  const book = begun.rules({ thing: (thing, { me, anyone }) => ({ may: { read: [anyone.provided(write(thing, me) as never)] } }) })
  return book.model.types.thing?.rules?.may.read[0]?.provided[0] as ConditionNode
}
const holds = (write: (thing: any, me: any) => unknown, record: object, me: object | null = { id: 'm-1' }) =>
  predicate(written(write))(record as never, { me: me as never, now: NOW.getTime() })

describe('what a condition means', () => {
  const CASES: readonly [what: string, write: (thing: any, me: any) => unknown, record: object, expected: boolean, me?: object | null][] = [
    ['a missing owner is not me', (t, me) => t.owner.is(me.id), { owner: null }, false],
    ['a missing owner is not a visitor', (t, me) => t.owner.is(me.id), { owner: null }, false, null],
    ['a missing owner is not a missing claim', (t, me) => t.owner.is(me.email), {}, false],
    ['not is the exact complement', (t) => not(t.owner.orElse('').is('m-1')), { owner: null }, true],
    ['a blank key claim is missing', (t, me) => t.owner.is(me.id), { owner: '' }, false, { id: '' }],
    ['an id of spaces is missing', (t) => t.id.isMissing(), { id: '  ' }, true],
    ['a blank text is present', (t) => t.owner.isPresent(), { owner: '' }, true],
    ['text compares exactly', (t) => t.owner.is('ann'), { owner: 'Ann' }, false],
    ['nothing is trimmed', (t) => t.owner.is('ann'), { owner: 'ann ' }, false],
    ['letter case is ignored on request', (t) => t.owner.isIgnoringCase('ANN@x.example'), { owner: 'Ann@X.example' }, true],
    ['for A to Z only', (t) => t.owner.isIgnoringCase('É'), { owner: 'é' }, false],
    ['starts with', (t) => t.owner.startsWith('s-0'), { owner: 's-01' }, true],
    ['nothing starts with what is missing', (t, me) => t.owner.startsWith(me.email), { owner: 'x' }, false],
    ['every text starts with nothing', (t) => t.owner.startsWith(''), { owner: 'x' }, true],
    ['but what is missing does not', (t) => t.owner.startsWith(''), {}, false],
    ['what comes after a start is no start', (t) => t.owner.startsWith('\ud7ff'), { owner: '\ue000' }, false],
    ['one of some, exactly', (t) => t.owner.isOneOf(['A', 'B', 'C']), { owner: 'a' }, false],
    ['a start, exactly', (t) => t.owner.startsWith('A'), { owner: 'ab' }, false],
    ['ends with', (t) => t.owner.endsWith('.example'), { owner: 'a.example' }, true],
    ['NaN is not less', (t) => t.size.isLessThan(5), { size: Number.NaN }, false],
    ['infinity is not more', (t) => t.size.isMoreThan(5), { size: Number.POSITIVE_INFINITY }, false],
    ['but it is there', (t) => t.size.isPresent(), { size: Number.POSITIVE_INFINITY }, true],
    ['an unsafe integer equals nothing', (t) => t.count.isAtLeast(0), { count: 2 ** 53 }, false],
    ['a number in a text is no number', (t) => t.size.is(5), { size: '5' }, false],
    ['at most', (t) => t.size.isAtMost(5), { size: 5 }, true],
    ['zero is zero, with either sign', (t) => t.size.is(0), { size: -0 }, true],
    ['a time before now', (t) => t.at.isBefore(now), { at: new Date(NOW.getTime() - 1) }, true],
    ['now is not before now', (t) => t.at.isBefore(now), { at: NOW }, false],
    ['a text as a time, in any zone', (t) => t.day.is(NOW), { day: '2026-06-15T11:00:00+02:00' }, true],
    ['a zone may be 23 hours and 59 minutes away', (t) => t.day.is(NOW), { day: '2026-06-16T08:59:00+23:59' }, true],
    ['but not 24 hours', (t) => t.day.isPresent().and(t.day.isAfter(new Date(0))), { day: '2026-06-16T09:00:00+24:00' }, false],
    ['times are cut to milliseconds', (t) => t.day.is(NOW), { day: '2026-06-15T09:00:00.000999Z' }, true],
    ['a day is its midnight', (t) => t.day.isBefore(now), { day: '2026-06-15' }, true],
    ['a day that does not exist is no time', (t) => t.day.isBefore(now), { day: '2026-02-30' }, false],
    ['an open end is later than now', (t) => t.at.orElse(forever).isAfter(now), {}, true],
    ['a past end is not', (t) => t.at.orElse(forever).isAfter(now), { at: new Date(0) }, false],
    ['an invalid end is no open end', (t) => t.at.orElse(forever).isAfter(now), { at: new Date(Number.NaN) }, false],
    ['a list has', (t, me) => t.tags.has(me.id), { tags: ['m-0', 'm-1'] }, true],
    ['null in a list is nobody', (t, me) => t.tags.has(me.email), { tags: [null] }, false],
    ['a list has, in any letter case', (t) => t.tags.hasIgnoringCase('A'), { tags: ['a'] }, true],
    ['lists overlap', (t, me) => t.tags.overlaps(me.sites), { tags: ['a', 'b'] }, true, { id: 'x', sites: ['b'] }],
    ['empty lists do not', (t, me) => t.tags.overlaps(me.sites), { tags: [] }, false, { id: 'x', sites: [] }],
    ['one of none is nothing', (t) => t.owner.isOneOf([]), { owner: 'x' }, false],
    ['a text is no list', (t) => t.tags.has('a'), { tags: 'a' }, false],
    ['both sides may be fields', (t) => t.size.isLessThan(t.count), { size: 1.5, count: 2 }, true],
    ['all of', (t) => allOf(t.open.is(true), t.size.is(1)), { open: true, size: 2 }, false],
    ['any of', (t) => anyOf(t.open.is(true), t.size.is(1)), { open: true, size: 2 }, true],
    [
      'what is no object among objects is nothing',
      (t) => t.parts.some((part: any) => part.name.isMissing()),
      { parts: [null, 5, 'x', ['y']] },
      false,
    ],
    ['and what is one, is one', (t) => t.parts.some((part: any) => part.name.isMissing()), { parts: [null, {}] }, true],
    ['and, or', (t) => t.open.is(true).and(t.size.is(1)).or(t.count.is(3)), { open: false, count: 3 }, true],
  ]
  // Columns that ignore letter case by themselves: rules compare exactly all the same.
  const columnType: Catalog['columnType'] = (field) => sqlite.catalog.columnType(field).replace(/^text$/, 'text collate nocase')
  const careless: Dialect = { ...sqlite, catalog: { ...sqlite.catalog, columnType } }
  const db = openSqlite()
  before(() => createTables(db, begun, careless))
  after(() => db.destroy())

  for (const [what, write, record, expected, me = { id: 'm-1' }] of CASES) {
    it(`${what}: ${expected}`, async () => {
      expect(holds(write, record, me)).to.equal(expected)
      const bound = simplify(bindRecord(simplify(written(write), me as never), record as never))
      expect(predicate(bound)({}, { me: null, now: NOW.getTime() }), 'with the record filled in').to.equal(expected)
      const row: Record<string, unknown> = { id: 't-1', ...record }
      if (!Thing.safeParse(row).success || (typeof row.day === 'string' && instant(row.day) === undefined)) return
      const fields: Record<string, any> = begun.model.types.thing?.fields ?? {}
      await db.deleteFrom('thing').execute()
      await db
        .insertInto('thing')
        .values(Object.fromEntries(Object.keys(fields).map((name) => [name, sqlite.codec.encode(fields[name], row[name])])))
        .execute()
      const where = compile(simplify(written(write), me as never), { dialect: sqlite, now: NOW.getTime() })
      expect(await db.selectFrom('thing').select('id').where(where).execute(), 'in SQLite').to.have.length(expected ? 1 : 0)
    })
  }

  it('cannot be changed any more, in no part of it', () => {
    const loose = (part: unknown): unknown[] =>
      typeof part !== 'object' || part === null ? [] : [...(Object.isFrozen(part) ? [] : [part]), ...Object.values(part).flatMap(loose)]
    for (const [what, write] of CASES) expect(loose(written(write)), what).to.deep.equal([])
  })

  it('is specialised for a person until nothing is left that does not depend on the record', () => {
    const node = written((t, me) => anyOf(me.sites.has('s-1'), allOf(me.sites.has('s-2'), t.owner.is(me.id)), t.open.is(true)))
    expect(simplify(node, { id: 'm-1', sites: ['s-1'] })).to.equal(TRUE)
    expect(inEnglish(simplify(node, { id: 'm-1', sites: ['s-2'] }), { record: 'the thing' })).to.equal(
      `the thing's owner is "m-1" or the thing's open is true`,
    )
    expect(inEnglish(simplify(node, null), { record: 'the thing' })).to.equal("the thing's open is true")
  })

  it('keeps two conditions that differ in nothing but a type: what is blank is missing in an id, and there in a text', () => {
    const starts = (type: 'id' | 'text'): unknown => {
      const owner = { kind: 'field', of: 'record', path: ['owner'], type, optional: true }
      return { kind: 'compare', by: 'endsWith', left: { kind: 'literal', type: 'text', value: '' }, right: owner }
    }
    const node = conditionFromJson({ kind: 'anyOf', of: [starts('id'), starts('text')] })
    for (const one of [node, simplify(node)]) expect(predicate(one)({ owner: '' }, { me: null, now: 0 })).to.equal(true)
  })

  it('is the same for whichever of many conditions of one form, each with its own values', () => {
    const numbers = [1, 2, undefined]
    const records = [null, 'x', 'y'].flatMap((owner) => numbers.flatMap((size) => numbers.map((count) => ({ owner, size, count }))))
    for (let at = 1; at <= 12; at++) {
      const any = predicate(written((t) => anyOf(t.owner.is(`x${at}`), t.size.is(at), t.count.is(at))))
      for (const { owner, size, count } of records) {
        const record = { owner: owner && owner + at, size: size && size * at, count: count && count * at }
        const expected = owner === 'x' || size === 1 || count === 1
        expect(any(record as never, { me: null, now: 0 }), JSON.stringify(record)).to.equal(expected)
      }
    }
  })

  it('reads in plain English', () => {
    const text = (write: (thing: any, me: any) => unknown) => inEnglish(written(write), { record: 'the thing' })
    expect(text((t, me) => t.owner.is(me.id))).to.equal("the thing's owner is my id")
    expect(text((t, me) => allOf(me.sites.has(t.owner), anyOf(t.open.is(true), t.size.isAtMost(3))))).to.equal(
      "my sites include the thing's owner and (the thing's open is true or the thing's size is at most 3)",
    )
    expect(text((t) => not(t.owner.orElse('nobody').is('x')))).to.equal('the thing\'s owner ("nobody" if missing) is not "x"')
    expect(text((t, me) => anyOf(t.open.is(true), t.owner.is(me.id), t.size.isMissing()))).to.equal(
      "the thing's open is true, the thing's owner is my id or the thing's size is missing",
    )
    expect(text((t) => t.at.orElse(forever).isAfter(now))).to.equal("the thing's at (forever if missing) is after now")
  })

  it('orders text by code point, as UTF-8 bytes do', () => {
    const text = fc.string({ unit: 'grapheme' }).map((one) => one.replace(/\p{Surrogate}/gu, ''))
    fc.assert(
      fc.property(text, text, (a, b) => {
        expect(Math.sign(compareText(a, b))).to.equal(Math.sign(Buffer.compare(Buffer.from(a), Buffer.from(b))))
      }),
    )
    expect(compareText('\u{1f331}', '\uffff')).to.be.greaterThan(0)
  })

  it('reads an instant back from every way to write it', () => {
    const within = fc.date({ min: new Date('0001-01-01'), max: new Date('9998-12-31'), noInvalidDate: true })
    fc.assert(
      fc.property(within, fc.integer({ min: -14 * 60, max: 14 * 60 }), (date, offset) => {
        expect(instant(date.toISOString())).to.equal(date.getTime())
        const local = new Date(date.getTime() + offset * 60_000).toISOString().slice(0, -1)
        const zone = `${offset < 0 ? '-' : '+'}${String(Math.floor(Math.abs(offset) / 60)).padStart(2, '0')}:${String(Math.abs(offset) % 60).padStart(2, '0')}`
        expect(instant(local + zone)).to.equal(date.getTime())
      }),
    )
    for (const odd of [
      '',
      '2026',
      '2026-13-01',
      '2026-06-15T24:00:00Z',
      '2026-06-15T09:00:00',
      ' 2026-06-15',
      '+010000-01-01',
      5,
      null,
      {},
      '2026-06-15T09:00:00+25:00',
    ]) {
      expect(instant(odd), JSON.stringify(odd)).to.equal(undefined)
    }
  })
})

describe('a condition in JSON that means nothing', () => {
  const field = { kind: 'field', of: 'record', path: ['a'], type: 'text' }
  const deep = (levels: number): unknown => (levels === 0 ? { kind: 'constant', value: true } : { kind: 'not', of: deep(levels - 1) })
  const CASES: readonly [what: string, json: unknown, at: string][] = [
    ['no object', null, '$'],
    ['an unknown kind', { kind: 'maybe' }, '$.kind'],
    ['a kind that every object has', { kind: 'constructor' }, '$.kind'],
    ['a constant that is no boolean', { kind: 'constant', value: 1 }, '$.value'],
    ['more than there is', { kind: 'constant', value: true, also: 1 }, '$.also'],
    ['a part at fault, deep inside', { kind: 'allOf', of: [{ kind: 'not', of: { kind: 'x' } }] }, '$.of[0].of.kind'],
    ['an unknown comparison', { kind: 'compare', by: 'equals', left: field, right: field }, '$.by'],
    ['a comparison that every object has', { kind: 'compare', by: 'toString', left: field, right: field }, '$.by'],
    ['a list where none belongs', { kind: 'compare', by: 'is', left: { ...field, list: true }, right: field }, '$.by'],
    [
      'a value of which nothing is known',
      { kind: 'compare', by: 'is', left: { ...field, type: 'other' }, right: { ...field, type: 'other' } },
      '$.by: is cannot be used on',
    ],
    ['types that do not compare', { kind: 'compare', by: 'is', left: field, right: { kind: 'now' } }, '$.by'],
    [
      'a value of another type',
      { kind: 'compare', by: 'is', left: field, right: { kind: 'literal', type: 'text', value: 5 } },
      '$.right.value',
    ],
    ['no path', { kind: 'presence', present: true, term: { ...field, path: [] } }, '$.term.path'],
    ['a path into what every object has', { kind: 'presence', present: true, term: { ...field, path: ['__proto__'] } }, '$.term.path[0]'],
    ['another record', { kind: 'presence', present: true, term: { ...field, of: 'other' } }, '$.term.of'],
    [
      'a stand-in of another type',
      { kind: 'presence', present: true, term: { kind: 'orElse', term: field, otherwise: { kind: 'now' } } },
      '$.term.otherwise',
    ],
    [
      'a stand-in for what cannot be compared',
      {
        kind: 'presence',
        present: true,
        term: { kind: 'orElse', term: { ...field, type: 'other' }, otherwise: { ...field, type: 'other' } },
      },
      '$.term.otherwise',
    ],
    ['too deep', deep(100), '$.of'],
  ]
  for (const [what, json, at] of CASES) {
    it(`${what}: says where`, () => {
      try {
        conditionFromJson(json)
        expect.fail('it was taken')
      } catch (error) {
        expect(isPachterError(error, 'BAD_CONDITION'), String(error)).to.equal(true)
        expect((error as Error).message.startsWith(at), (error as Error).message).to.equal(true)
      }
    })
  }
})

it('any of some fields is one of two values, whatever the fields are called', () => {
  const among = (name: string): ConditionNode => ({
    kind: 'compare',
    by: 'isOneOf',
    left: { kind: 'field', of: 'record', path: [name], type: 'text' },
    right: { kind: 'literal', type: 'text', list: true, value: ['one', 'two'] },
  })
  const VALUES = ['one', 'two', 'three', undefined]
  for (let round = 0; round < 30; round++) {
    const names = ['a', 'b', 'c'].map((name) => name + round)
    for (const some of [names.slice(0, 1), names.slice(0, 2), names]) {
      const test = predicate({ kind: 'anyOf', of: some.map(among) })
      for (let n = 0; n < VALUES.length ** some.length; n++) {
        const values = some.map((_, at) => VALUES[Math.floor(n / VALUES.length ** at) % VALUES.length])
        const record = Object.fromEntries(some.map((name, at) => [name, values[at]]))
        const expected = values.some((value) => value === 'one' || value === 'two')
        expect(test(record, { me: null, now: 0 }), JSON.stringify(record)).to.equal(expected)
      }
    }
  }
})

it('an alternative that is a field of the linked record is read from that record', () => {
  const text = z.string()
  const book = rulebook({
    me: { shape: z.object({ id: text, nick: text.optional() }), key: 'id' },
    records: {
      boat: { shape: z.object({ id: text, keeper: text, owner: text }), key: 'id' },
      trip: { shape: z.object({ id: text, boatId: text, owner: text }), key: 'id', links: { boat: toOne('boat', 'boatId') } },
    },
  })
    .standings({ boat: (boat, { me }) => ({ keeper: boat.keeper.is(me.nick.orElse(boat.owner)) }) })
    .rules({
      boat: (_boat, { standing: { keeper } }) => ({ may: { read: [keeper] } }),
      trip: (trip) => ({ may: { read: [trip.boat.standing.keeper] } }),
    })
  const boat = [
    { id: 'b1', keeper: 'kim', owner: 'kim' },
    { id: 'b2', keeper: 'kim', owner: 'lou' },
  ]
  const trip = [
    { id: 't1', boatId: 'b1', owner: 'x' },
    { id: 't2', boatId: 'b2', owner: 'kim' },
  ]
  const seen = (me: { id: string; nick?: string }) =>
    book
      .for(me, { records: indexed({ boat }) as never })
      .filter('trip', trip)
      .map(({ id }) => id)
  expect(seen({ id: 'm' })).to.deep.equal(['t1'])
  expect(seen({ id: 'm', nick: 'kim' })).to.deep.equal(['t1', 't2'])
  expect(seen({ id: 'm', nick: 'lou' })).to.deep.equal([])
})
