import { expect } from 'chai'
import fc from 'fast-check'
import { type LiveEvent, type LiveLists, liveLists } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { book } from '../../examples/world/rulebook.js'
import { anyRecord, book as linked } from '../support/along.js'
import { backends } from '../support/backends.js'
import { tries } from '../support/tries.js'
import { ground, options, records, types } from '../support/world.js'

type Rows = Map<unknown, string>
type Listed = { readonly id?: string; readonly record?: { readonly id: string } }
const keyOf = ({ id, record }: Listed) => id ?? record?.id

/** Everybody watches every list of theirs; what each was told, and what was told without need. */
async function everybodyWatches(
  live: LiveLists,
  store: ReturnType<typeof openStore>,
  withActions: readonly string[],
  people: { readonly [name: string]: object | null } = ground.people,
  those = types,
) {
  const held = new Map<string, Rows>()
  const needless: string[] = []
  for (const person of Object.keys(people))
    for (const type of those) {
      const rows: Rows = new Map()
      held.set(`${person} ${type}`, rows)
      await live.watch(store as never, people[person] as never, type, { name: 'all', withActions }, (event) => {
        const told = `${person} ${type} ${JSON.stringify(event).slice(0, 300)}`
        if (event.event === 'listed') for (const row of event.records as Listed[]) rows.set(keyOf(row), JSON.stringify(row))
        else if (event.event === 'appeared' || event.event === 'changed') {
          const row = JSON.stringify(event.record)
          if (rows.has(event.key) !== (event.event === 'changed') || rows.get(event.key) === row) needless.push(told)
          rows.set(event.key, row)
        } else if (event.event === 'gone' && !rows.delete(event.key)) needless.push(told)
        else if (event.event === 'ended') needless.push(told)
      })
    }
  await live.settled()
  return { held, needless }
}

for (const [where, open] of Object.entries(backends(book)))
  describe(`live lists ${where}`, () => {
    it('send each person what a new list would show, and nothing else, for any write', async () => {
      const isQuick = where === 'in memory'
      const step = fc.record({
        type: fc.constantFrom(...types),
        what: fc.constantFrom('update', 'update', 'update', 'create', 'delete'),
        row: fc.nat(),
        other: fc.nat(),
        field: fc.nat(),
      })
      await fc.assert(
        fc.asyncProperty(
          fc.array(fc.array(step, { minLength: 1, maxLength: 4 }), { minLength: 1, maxLength: isQuick ? 12 : 4 }),
          fc.boolean(),
          async (rounds, described) => {
            const withActions = described ? ['update', 'delete'] : []
            const store = openStore(book, isQuick ? inMemory(records) : await open(), { now: options.now })
            const trusted = store.asSystem('fill')
            if (!isQuick) for (const type of types) for (const record of records[type] ?? []) await trusted.create(type, record as never)
            const live = liveLists({ tick: 10_000 })
            const system = store.asSystem('write anything')
            const { held, needless } = await everybodyWatches(live, store as never, withActions)
            let made = 0
            for (const round of rounds) {
              for (const { type, what, row, other, field } of round) {
                const all = (await system.list(type as 'plot')) as unknown as { readonly id: string; readonly [name: string]: unknown }[]
                const one = all[row % all.length]
                const another = all[other % all.length]
                if (one === undefined || another === undefined) continue
                const { id, ...fields } = another
                const names = Object.keys(fields)
                const name = names[field % names.length] as string
                // What does not fit, or is in the way, is not written.
                await (what === 'delete'
                  ? system.delete(type as 'plot', one.id)
                  : what === 'create'
                    ? system.create(type as 'plot', { ...one, ...fields, id: `new-${made++}` } as never)
                    : system.update(type as 'plot', one.id, { [name]: fields[name] } as never)
                ).catch(() => undefined)
              }
              await live.settled()
              for (const [whose, rows] of held) {
                const [person, type] = whose.split(' ') as [string, 'plot']
                const anew = await store.for(ground.people[person] as never).list(type, { withActions } as never)
                expect([...rows.values()].sort(), whose).to.deep.equal(anew.map((one) => JSON.stringify(one)).sort())
              }
            }
            expect(needless).to.deep.equal([])
            await live.close()
          },
        ),
        { numRuns: isQuick ? tries(2, 6) : 1 },
      )
    })
  })

describe('live lists of what may be deleted', () => {
  it('report when something starts to block a delete, and when it stops', async () => {
    const those = ['plot', 'entry', 'note'] as const
    const people = { a: { id: 'a' }, b: { id: 'b' } }
    const step = fc.record({ what: fc.constantFrom('put', 'put', 'take', 'give'), one: anyRecord })
    await fc.assert(
      fc.asyncProperty(fc.array(step, { maxLength: 25, size: 'max' }), async (steps) => {
        const store = openStore(linked, inMemory({ plot: ['p1', 'p2'].map((id) => ({ id, ownerId: 'a' })) }))
        const system = store.asSystem('write anything') as any
        const live = liveLists({ tick: 10_000 })
        const { held, needless } = await everybodyWatches(live, store as never, ['delete'], people, those as never)
        for (const { what, one } of steps) {
          const { type, record } = one as { type: string; record: any }
          await (what === 'put'
            ? system.create(type, record)
            : what === 'take'
              ? system.delete(type, record.id)
              : system.update(type, record.id, { ownerId: record.ownerId })
          ).catch(() => undefined)
          await live.settled()
          for (const [whose, rows] of held) {
            const [person, of] = whose.split(' ') as ['a', 'plot']
            const anew = await store.for(people[person]).list(of, { withActions: ['delete'] })
            expect([...rows.values()].sort(), `${whose} after ${what} ${type}`).to.deep.equal(anew.map((row) => JSON.stringify(row)).sort())
          }
        }
        expect(needless).to.deep.equal([])
        await live.close()
      }),
      { numRuns: tries(5, 30) },
    )
  })
})

/** A list as somebody is told of it, in short. */
async function told(live: LiveLists, store: unknown, me: object | null, type: string, query: object = {}) {
  const events: string[] = []
  const watched = await live.watch(store as never, me as never, type, query, (event: LiveEvent) => {
    events.push('key' in event ? `${event.event} ${event.key}` : event.event === 'listed' ? `listed ${event.records.length}` : event.event)
  })
  const since = async () => {
    await live.settled()
    return events.splice(0)
  }
  return { since, watched, first: await since() }
}

const [ines, bram, odile, farah] = ['ines', 'bram', 'odile', 'farah'].map((name) => ground.people[name] as { id: string })
describe('live lists, one by one', () => {
  let now: number
  const open = () => openStore(book, inMemory(records), { now: () => new Date(now) })
  let live: LiveLists
  let store: ReturnType<typeof open>
  const system = () => store.asSystem('a test')
  beforeEach(() => {
    now = options.now.getTime()
    live = liveLists({ tick: 20, listLimit: 40 })
    store = open()
  })
  afterEach(() => live.close())

  it('a share that ends takes the plot, its entries and their remarks along', async () => {
    const [plots, entries] = [await told(live, store, bram ?? null, 'plot'), await told(live, store, bram ?? null, 'entry')]
    expect([plots.first, entries.first.length]).to.deep.equal([['listed 5'], 1])
    await system().delete('share', 'h-01')
    expect(await plots.since()).to.deep.equal(['gone p-01'])
    const gone = await entries.since()
    expect(gone.length).to.be.greaterThan(0)
    expect(gone.every((event) => event.startsWith('gone '))).to.equal(true)
  })

  it('a share that lapses does, too, without anything being written', async () => {
    const plots = await told(live, store, bram ?? null, 'plot')
    now = Date.parse('2027-10-31T00:00:00Z')
    await new Promise((resolve) => setTimeout(resolve, 100))
    expect(await plots.since()).to.deep.equal(['gone p-01'])
  })

  it('a change of the own record changes all that they see and may do', async () => {
    const invoices = await told(live, store, odile ?? null, 'plot')
    await system().update('member', 'm-03', { roles: ['treasurer'] })
    const events = await invoices.since()
    expect(events[0]).to.equal('rules')
    expect(events.slice(1)).to.include.members(['appeared p-02', 'appeared p-12'])
    await system().update('member', 'm-03', { banned: true })
    const end = await invoices.since()
    expect(end.filter((event) => event.startsWith('gone'))).to.have.length(12)
  })

  it('a change of what is hidden is no event', async () => {
    const plots = await told(live, store, ines ?? null, 'plot')
    await system().update('plot', 'p-01', { wardenNotes: 'Nobody else needs to know.' })
    expect(await plots.since()).to.deep.equal([])
    await system().update('plot', 'p-01', { planting: 'leeks' })
    expect(await plots.since()).to.deep.equal(['changed p-01'])
  })

  it('a filter is kept as well', async () => {
    const where = (plot: any) => plot.state.is('vacant')
    const plots = await told(live, store, null, 'plot', { where })
    expect(plots.first).to.deep.equal(['listed 1'])
    await system().update('plot', 'p-06', { state: 'let', holderId: 'm-01' })
    expect(await plots.since()).to.deep.equal(['gone p-06'])
  })

  it('do not report what was rolled back', async () => {
    const plots = await told(live, store, farah ?? null, 'plot')
    await system()
      .transaction(async (inside) => {
        await inside.update('plot', 'p-01', { planting: 'nothing' })
        throw new Error('changed my mind')
      })
      .catch(() => undefined)
    expect(await plots.since()).to.deep.equal([])
  })

  it('those who ask alike share the work; who goes, hears no more', async () => {
    const one = await told(live, store, null, 'plot', { name: 'same' })
    const two = await told(live, store, null, 'plot', { name: 'same' })
    expect(live.watching).to.deep.equal({ people: 2, lists: 1 })
    one.watched.stop()
    await system().delete('plot', 'p-06')
    expect([await one.since(), await two.since()]).to.deep.equal([[], ['gone p-06']])
    two.watched.stop()
    expect(live.watching).to.deep.equal({ people: 0, lists: 0 })
  })

  it('a list that grows too long ends, and says so', async () => {
    await live.close()
    live = liveLists({ listLimit: 12 })
    const plots = await told(live, store, farah ?? null, 'plot')
    await system().create('plot', { ...(records.plot?.[0] as object), id: 'p-13' } as never)
    expect((await plots.since()).at(-1)).to.equal('ended')
    expect(live.watching.people).to.equal(0)
  })

  it('miss nothing when the database was unreachable for a moment', async () => {
    const failures: unknown[] = []
    let broken = false
    const backend = inMemory(records)
    const opened = openStore(
      book,
      (model) => {
        const tables = backend(model)
        const select = tables.select.bind(tables)
        return Object.assign(tables, {
          select: (...asked: Parameters<typeof select>) => (broken ? Promise.reject(new Error('gone')) : select(...asked)),
        })
      },
      { now: options.now },
    )
    live = liveLists({ onFailure: (error) => failures.push(error) })
    const plots = await told(live, opened, farah ?? null, 'plot')
    const trusted = opened.asSystem('a test')
    broken = true
    await trusted.update('plot', 'p-01', { planting: 'leeks' })
    setTimeout(() => {
      broken = false
    }, 150)
    expect(await plots.since()).to.deep.equal(['changed p-01'])
    expect(failures).not.to.deep.equal([])
  })
})
