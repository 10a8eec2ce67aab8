import { expect } from 'chai'
import { type LiveList, type LiveListClient, liveList, liveListClient, rulesClient } from 'pachter/client'
import { inMemory, openStore } from 'pachter/store'
import { book } from '../../examples/world/rulebook.js'
import { revoked, serve } from '../support/live-server.js'
import { options, records } from '../support/world.js'

const soon = async (what: string, condition: () => boolean) => {
  for (let tries = 0; !condition() && tries < 600; tries++) await new Promise((resolve) => setTimeout(resolve, 10))
  expect(condition(), what).to.equal(true)
}
const as = (person: string) => ({ headers: () => ({ 'x-person': person }) })
const keys = (list: LiveList) => list.records.map(({ id }) => id)

describe('a list in a page', () => {
  const lists: LiveList[] = []
  const watch = (...source: Parameters<typeof liveList>) => {
    const list = liveList(...source)
    lists.push(list)
    return list
  }
  beforeEach(() => revoked.clear())
  afterEach(() => {
    for (const list of lists.splice(0)) list.close()
  })

  it('continues after a restart of the server', async () => {
    const tables = inMemory(records)(book.model)
    const open = () => openStore(book, () => tables, { now: options.now })
    const first = await serve(open())
    const list = watch({ url: `${first.url}/plot`, ...as('bram') })
    await soon('it is there', () => list.state === 'live')
    expect(keys(list)).to.deep.equal(['p-01', 'p-02', 'p-03', 'p-06', 'p-10'])
    const states: string[] = []
    list.subscribe(() => states.push(list.state))
    await first.close()
    await soon('it is lost', () => list.state === 'lost')
    // What was there is still shown, and what changes meanwhile nobody tells.
    expect(keys(list)).to.have.length(5)
    const system = open().asSystem('while it is gone')
    await system.delete('share', 'h-01')
    await system.update('plot', 'p-02', { planting: 'leeks' })
    const second = await serve(open(), undefined, first.port)
    await soon('it is back', () => list.state === 'live')
    expect(keys(list)).to.deep.equal(['p-02', 'p-03', 'p-06', 'p-10'])
    expect(list.records[0]?.planting).to.equal('leeks')
    await second.store.asSystem('and then').update('plot', 'p-02', { planting: 'kale' })
    await soon('it goes on', () => list.records[0]?.planting === 'kale')
    expect(states[0]).to.equal('lost')
    await second.close()
  })

  it('shows the message of a refusal, and nothing after signing out', async () => {
    const one = await serve()
    const odd = watch({ url: `${one.url}/plot?where.numbr=1`, ...as('ines') })
    await soon('it is refused', () => odd.state === 'refused')
    expect(odd.message).to.match(/number/)
    const list = watch({ url: `${one.url}/plot`, ...as('ines') })
    await soon('it is there', () => list.state === 'live')
    revoked.add('ines')
    await soon('it has ended', () => list.state === 'ended')
    expect([list.records, list.message]).to.deep.equal([[], 'Sign in again.'])
    await one.close()
  })

  it("has the rules loaded again when the person's access has changed", async () => {
    const one = await serve()
    const rules = rulesClient({ url: `${one.url}/my-rules`, ...as('odile') })
    expect([rules.state, rules.view.may('update', 'plot')]).to.deep.equal(['loading', 'never'])
    await rules.refresh()
    const invoice = { id: 'i-01', memberId: 'm-01', plotId: 'p-01', amount: 1, state: 'open' }
    expect(rules.view.has('openLedger')).to.equal(false)
    watch({
      url: `${one.url}/plot?may=update`,
      ...as('odile'),
      rulesChanged: () => void rules.refresh(),
    })
    await soon('it is there', () => lists[0]?.state === 'live')
    await one.store.asSystem('a new office').update('member', 'm-03', { roles: ['treasurer'] })
    await soon('the rules are there', () => rules.view.has('openLedger'))
    expect(rules.view.verdict('read', 'invoice', invoice).allowed).to.equal(true)
    await soon('the records are there', () => lists[0]?.records.length === 12)
    expect(lists[0]?.records[0]?.may).to.deep.equal({ update: { allowed: true, fields: ['rentDue'] } })
    await one.close()
    await rules.refresh().catch(() => undefined)
    expect(rules.state).to.equal('lost')
  })
})

describe('the lists of a page', () => {
  let one: Awaited<ReturnType<typeof serve>>
  let lists: LiveListClient
  let asked: string[]
  const keep = (person: string, rulesChanged?: () => void) => {
    const counting: typeof fetch = (address, init) => {
      asked.push(String(address))
      return fetch(address, init)
    }
    lists = liveListClient({ url: `${one.url}/my-lists`, ...as(person), fetch: counting, ...(rulesChanged ? { rulesChanged } : {}) })
    return lists
  }
  beforeEach(async () => {
    revoked.clear()
    asked = []
    one = await serve()
  })
  afterEach(() => {
    lists.close()
    return one.close()
  })

  it('share one connection, to which lists are added without reading the others again', async () => {
    await one.close()
    const tables = inMemory(records)(book.model)
    const read: string[] = []
    const select: typeof tables.select = (type, selection) => {
      read.push(type)
      return tables.select(type, selection)
    }
    const noting = new Proxy(tables, {
      get(target, name) {
        const found = name === 'select' ? select : Reflect.get(target, name)
        return typeof found === 'function' ? found.bind(target) : found
      },
    })
    one = await serve(openStore(book, () => noting, { now: options.now }))
    const plots = keep('bram').watch('plot')
    const shares = lists.watch('share')
    await soon('both are there', () => plots.state === 'live' && shares.state === 'live')
    read.length = 0
    expect([asked.length, plots.records.length, shares.records.length]).to.deep.equal([1, 5, 3])
    const before = plots.records
    let told = 0
    plots.subscribe(() => told++)
    const again = lists.watch('plot')
    const notices = lists.watch('notice')
    shares.close()
    await soon('the others are there', () => notices.state === 'live')
    expect([asked.length, told, plots.records === before, again.records === before]).to.deep.equal([2, 0, true, true])
    expect(asked[1]).to.match(/my-lists\/[\w-]{36}$/)
    expect(read).to.include('notice').and.not.include('plot').and.not.include('share')
    await soon('the closed list is gone', () => one.live.watching.people === 2)
    again.close()
    await one.store.asSystem('a test').delete('share', 'h-01')
    await soon('who is left hears of it', () => plots.records.length === 4)
    expect(told).to.equal(1)
  })

  it('are requested again if the server does not know the stream', async () => {
    const plots = keep('bram').watch('plot')
    await soon('it is there', () => plots.state === 'live')
    // As if another server had answered.
    const other = await serve()
    const { url } = one
    one.url = other.url
    const [before] = [plots.records]
    lists.close()
    lists = liveListClient({
      url: `${url}/my-lists`,
      ...as('bram'),
      fetch: (address, init) => {
        asked.push(`${init?.method ?? 'GET'} ${String(address)}`)
        return fetch(init?.method === 'POST' ? String(address).replace(url, other.url) : (address as string), init)
      },
    })
    const again = lists.watch('plot')
    await soon('it is there again', () => again.state === 'live')
    const shares = lists.watch('share')
    await soon('both are there', () => shares.state === 'live' && again.state === 'live')
    expect(again.records).to.deep.equal(before)
    expect(asked.map((one) => one.split(' ')[0]).slice(-3)).to.deep.equal(['GET', 'POST', 'GET'])
    await other.close()
  })

  it('can be opened and closed quickly, in any order', async () => {
    keep('ines')
    const addresses = ['plot', 'share', 'notice', 'entry', 'plot?where.state=let', 'remark']
    const open = new Map<string, LiveList>()
    for (let round = 0; round < 60; round++) {
      const address = addresses[(round * 7 + (round % 5)) % addresses.length] as string
      const there = open.get(address)
      if (there === undefined) open.set(address, lists.watch(address))
      else there.close()
      if (there !== undefined) open.delete(address)
      if (round % 4 === 0) await new Promise((resolve) => setTimeout(resolve, round % 12))
    }
    await soon('all are there', () => [...open.values()].every(({ state }) => state === 'live'))
    await soon('no others are', () => one.live.watching.people === open.size)
    const meant = await Promise.all([...open.keys()].map((address) => fetch(`${one.url}/${address}`, { headers: { 'x-person': 'ines' } })))
    for (const [at, list] of [...open.values()].entries()) {
      const { records } = (await (meant[at] as Response).json()) as { records: { id: string }[] }
      expect(keys(list)).to.have.members(records.map(({ id }) => id))
    }
  })

  it('continue after a restart of the server, and end if the person is no longer known', async () => {
    const plots = keep('bram').watch('plot')
    await soon('it is there', () => plots.state === 'live')
    await one.close()
    await soon('it is lost', () => plots.state === 'lost')
    one = await serve(undefined, undefined, one.port)
    await soon('it is back', () => plots.state === 'live')
    revoked.add('bram')
    await soon('it has ended', () => plots.state === 'ended')
    expect([plots.records, plots.message]).to.deep.equal([[], 'Sign in again.'])
  })

  it('are refused one by one, and may be asked for again', async () => {
    const odd = keep('ines').watch('plot?where.numbr=1')
    const plots = lists.watch('plot')
    await soon('one is there', () => plots.state === 'live')
    expect([odd.state, odd.message]).to.satisfy(([state, message]: string[]) => state === 'refused' && /number/.test(message as string))
    const again = lists.watch('plot?where.numbr=1')
    expect(again.state).to.equal('loading')
    await soon('refused again', () => again.state === 'refused')
    expect(plots.state).to.equal('live')
  })

  it('ask once for the rules when they have changed', async () => {
    let changed = 0
    keep('odile', () => changed++)
    const [plots, bills] = [lists.watch('plot'), lists.watch('invoice')]
    await soon('they are there', () => plots.state === 'live' && bills.state === 'live')
    await one.store.asSystem('a new office').update('member', 'm-03', { roles: ['treasurer'] })
    await soon('all are there', () => plots.records.length === 12 && bills.records.length === 10)
    await soon('told', () => changed > 0)
    expect(changed).to.equal(1)
  })
})
