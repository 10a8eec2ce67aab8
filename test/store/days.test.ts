// Days without a time: today in a time zone, both ends included, in every place where records are kept.
import { expect } from 'chai'
import fc from 'fast-check'
import { allOf, forever, rulebook } from 'pachter'
import { pageView } from 'pachter/client'
import { type LiveEvent, liveLists, routes } from 'pachter/http'
import { dayIn, startOfDay } from 'pachter/internal/condition'
import { rulebookFromJson, rulebookToJson } from 'pachter/json'
import { type Backend, inMemory, openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'
import { fill } from '../support/filling.js'

const id = z.string()
const shapes = {
  me: z.object({ id }),
  records: {
    stand: z.object({ id, by: id, from: z.iso.date(), until: z.iso.date().nullable(), note: z.string() }),
    book: z.object({ id, lentOn: z.iso.date().optional(), dueOn: z.iso.date() }),
  },
}
const book = rulebook({
  me: { shape: shapes.me, key: 'id', timeZone: 'Pacific/Auckland' },
  records: {
    stand: { shape: shapes.records.stand, key: 'id', days: ['from', 'until'] },
    book: { shape: shapes.records.book, key: 'id', days: ['lentOn', 'dueOn'] },
  },
}).rules({
  stand: (stand, { me, anyone, today }) => ({
    may: {
      read: [anyone.provided(stand.by.is(me.id), stand.from.isAtMost(today), stand.until.orElse(forever).isAtLeast(today))],
      update: [anyone.provided(stand.by.is(me.id))],
    },
  }),
  book: (lent, { signedIn, anyone, today }) => ({
    may: { read: [anyone.provided(allOf(lent.dueOn.isBefore(today.plusDays(-14)), lent.dueOn.isAfter('2026-01-01')))], create: [signedIn] },
    stamps: { create: { lentOn: today } },
  }),
})

// In Auckland it is the first of June already.
const now = new Date('2026-05-31T13:00:00Z')
const data = {
  stand: [
    { id: 'over', by: 'bo', from: '2026-05-01', until: '2026-05-31', note: '' },
    { id: 'last day', by: 'bo', from: '2026-05-01', until: '2026-06-01', note: '' },
    { id: 'first day', by: 'bo', from: '2026-06-01', until: '2026-06-09', note: '' },
    { id: 'open', by: 'bo', from: '2026-05-20', until: null, note: '' },
    { id: 'soon', by: 'bo', from: '2026-06-02', until: null, note: '' },
    { id: 'another', by: 'cy', from: '2026-05-20', until: null, note: '' },
  ],
  book: [
    { id: 'fine', dueOn: '2026-05-18' },
    { id: 'late', dueOn: '2026-05-17' },
    { id: 'old', dueOn: '2026-01-01' },
  ],
}
const TODAY = ['first day', 'last day', 'open']

async function filled(open: () => Promise<Backend>, at: Date = now) {
  const store = openStore(book, await open(), { now: at })
  await fill(store, data)
  return store
}

for (const [where, open] of Object.entries(backends(book))) {
  describe(`days, ${where}`, () => {
    it('count in the time zone of the rulebook, with both ends', async () => {
      const store = await filled(open)
      const bo = store.for({ id: 'bo' })
      expect((await bo.list('stand')).map((stand) => stand.id).sort()).to.deep.equal(TODAY)
      expect((await bo.list('book')).map((one) => one.id)).to.deep.equal(['late'])
      expect(await bo.get('stand', 'last day')).to.deep.include({ from: '2026-05-01', until: '2026-06-01' })
      // Twelve hours before, it was the day before there.
      const before = await filled(open, new Date('2026-05-31T11:59:59Z'))
      expect((await before.for({ id: 'bo' }).list('stand')).map((stand) => stand.id).sort()).to.deep.equal(['last day', 'open', 'over'])
    })

    it('are written, stamped, filtered, sorted and paged as they are', async () => {
      const store = await filled(open)
      const bo = store.for({ id: 'bo' })
      const made = await store.asSystem('lend').create('book', { dueOn: '2026-06-15' })
      expect(made.lentOn).to.equal('2026-06-01')
      expect((await bo.update('stand', 'open', { from: '2026-05-21' })).from).to.equal('2026-05-21')
      const error = await bo.update('stand', 'open', { from: '2026-05-21T10:00:00Z' }).catch((one: { code: string }) => one)
      expect((error as { code: string }).code).to.equal('INVALID')
      const system = store.asSystem('look')
      const may = await system.list('stand', { where: (stand) => stand.from.is('2026-05-01'), sort: ['from'] })
      expect(may.map((stand) => stand.id)).to.have.members(['over', 'last day'])
      const all: string[] = []
      for (let after: string | undefined; ; ) {
        const page = await system.page('stand', { sort: ['-from'], size: 2, ...(after ? { after } : {}) })
        all.push(...page.records.map(({ from }) => from))
        if (page.next === undefined) break
        after = page.next
      }
      expect(all)
        .to.deep.equal([...all].sort().reverse())
        .and.to.have.length(6)
    })
  })
}

describe('a day', () => {
  it('means the same from JSON', () => {
    const json = rulebookToJson(book)
    expect(json.me).to.include({ timeZone: 'Pacific/Auckland' })
    const again = rulebookFromJson(json, shapes)
    expect(rulebookToJson(again)).to.deep.equal(json)
    const seen = again.for({ id: 'bo' }, { now }).filter('stand', data.stand)
    expect(seen.map((stand) => (stand as { id: string }).id).sort()).to.deep.equal(TODAY)
  })

  it('begins at the first instant of that day, whatever the time zone does to its clocks', () => {
    const zones = ['Europe/Dublin', 'Pacific/Apia', 'America/Sao_Paulo', 'Asia/Kathmandu', 'UTC', 'Pacific/Kiritimati', 'Etc/GMT+12']
    const at = fc.integer({ min: Date.UTC(1995, 0), max: Date.UTC(2035, 0) })
    fc.assert(
      fc.property(fc.constantFrom(...zones), at, (zone, instant) => {
        const day = dayIn(zone, instant)
        const start = startOfDay(zone, day)
        expect(start).to.be.at.most(instant)
        expect(dayIn(zone, start)).to.be.at.least(day)
        expect(dayIn(zone, start - 1)).to.be.below(day)
      }),
    )
  })

  const begin = (timeZone?: string, days: readonly string[] = ['from']) =>
    rulebook({
      me: { shape: shapes.me, key: 'id', ...(timeZone ? { timeZone } : {}) },
      records: { stand: { shape: shapes.records.stand.extend({ at: z.date() }), key: 'id', days: days as ['from'] } },
    })
  const reading = (fits: (stand: any, words: any) => unknown) => () =>
    begin('UTC').rules({ stand: (stand, words) => ({ may: { read: [words.anyone.provided(fits(stand, words) as never)] } }) })
  for (const [problem, build, words] of [
    ['a time zone that does not exist', () => begin('Europe/Doblin'), '"Europe/Doblin" is not the name of a time zone'],
    ['an unknown field', () => begin('UTC', ['fron']), 'Did you mean "from"?'],
    ['a field of another type', () => begin('UTC', ['at']), 'not text such as'],
    [
      'today without a time zone',
      () => begin().rules({ stand: (stand, { today, anyone }) => ({ may: { read: [anyone.provided(stand.from.is(today))] } }) }),
      'today needs a time zone',
    ],
    ['a day beside an instant', reading((stand, { today }) => stand.at.isBefore(today)), 'a day and an instant cannot be compared'],
    ['an instant beside a day', reading((stand) => stand.from.isBefore(stand.at)), 'a day and an instant cannot be compared'],
    ['a day with a time', reading((stand) => stand.from.is('2026-05-31T10:00:00Z')), 'is a day: compare it with today'],
    ['half a day', reading((stand, { today }) => stand.from.is(today.plusDays(0.5))), 'needs a whole number of days'],
  ] as const)
    it(`refuses ${problem}`, () => expect(build).to.throw(words))

  it('brings and takes records of live lists at midnight, without anything being written', async () => {
    let at = now.getTime()
    const live = liveLists({ tick: 10 })
    const store = openStore(book, inMemory({ stand: data.stand }), { now: () => new Date(at) })
    const events: string[] = []
    await live.watch(store as never, { id: 'bo' }, 'stand', {}, (event: LiveEvent) => {
      if ('key' in event) events.push(`${event.event} ${event.key}`)
    })
    const until = async (time: string) => {
      at = Date.parse(time)
      await new Promise((resolve) => setTimeout(resolve, 60))
      await live.settled()
      return events.splice(0).sort()
    }
    expect(await until('2026-06-01T11:59:59.999Z')).to.deep.equal([])
    expect(await until('2026-06-01T12:00:00Z')).to.deep.equal(['appeared soon', 'gone last day'])
    expect(await until('2026-06-02T11:59:00Z')).to.deep.equal([])
    expect(await until('2026-06-10T00:00:00Z')).to.deep.equal(['gone first day'])
    await live.close()
  })

  it('is left to the server by a page, which does not know which day it is elsewhere', async () => {
    const asked = routes(book, openStore(book, inMemory(), { now }), { identity: async () => ({ id: 'bo' }), insecure: true })
    const page = pageView((await (await asked(new Request('https://school.example/my-rules'))).json()) as never)
    expect(page.verdict('read', 'stand', data.stand[0] as object).outcome).to.equal('ask the server')
    expect(page.verdict('read', 'stand', data.stand[5] as object).allowed).to.equal(false)
  })

  it('is stamped by a store in memory too', async () => {
    const made = await openStore(book, inMemory(), { now }).asSystem('lend').create('book', { dueOn: '2026-06-15' })
    expect(made.lentOn).to.equal('2026-06-01')
  })
})
