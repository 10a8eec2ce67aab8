import { expect } from 'chai'
import { keepRules, type LiveList, watchList } from 'pachter/client'
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
  const watch = (...source: Parameters<typeof watchList>) => {
    const list = watchList(...source)
    lists.push(list)
    return list
  }
  beforeEach(() => revoked.clear())
  afterEach(() => {
    for (const list of lists.splice(0)) list.close()
  })

  it('goes on where the server is started anew, and misses nothing', async () => {
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

  it('says why it is refused, and shows nothing when somebody has signed out', async () => {
    const one = await serve()
    const odd = watch({ url: `${one.url}/plot?where.numbr=1`, ...as('ines') })
    await soon('it is refused', () => odd.state === 'refused')
    expect(odd.saying).to.match(/number/)
    const list = watch({ url: `${one.url}/plot`, ...as('ines') })
    await soon('it is there', () => list.state === 'live')
    revoked.add('ines')
    await soon('it has ended', () => list.state === 'ended')
    expect([list.records, list.saying]).to.deep.equal([[], 'Sign in again.'])
    await one.close()
  })

  it('has the rules asked for again when what somebody may do has changed', async () => {
    const one = await serve()
    const rules = keepRules({ url: `${one.url}/my-rules`, ...as('odile') })
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
