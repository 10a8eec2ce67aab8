import { expect } from 'chai'
import { openApi } from 'pachter/http'
import { book } from '../../examples/world/rulebook.js'
import { serve } from '../support/serve-world.js'
import { ground } from '../support/world.js'

describe('standings over HTTP', () => {
  const { app, store } = serve({ standings: { plot: ['holder', 'helper'] } })
  const ask = async (person: string, query: string) => {
    const headers: Record<string, string> = person === 'visitor' ? {} : { 'x-person': person }
    const response = await app.request(`http://localhost/api/plots?size=100&${query}`, { headers })
    return { status: response.status, body: await response.json() }
  }

  it('are told to every person of the demo world, and list what is theirs, what is shared with them, and the rest', async () => {
    for (const person of Object.keys(ground.people)) {
      const all = (await store.for(ground.people[person] as never).list('plot', { withStandings: true })) as readonly {
        readonly record: { readonly id: string }
        readonly standings: readonly string[]
      }[]
      const keys = async (query: string) => (await ask(person, query)).body.records.map(({ id }: { id: string }) => id)
      const having = (name: string) => all.flatMap(({ record, standings }) => (standings.includes(name) ? [record.id] : []))
      expect(await keys('standing=holder'), person).to.have.members(having('holder'))
      expect(await keys('standing=helper&withoutStanding=holder'), person).to.have.members(
        having('helper').filter((id) => !having('holder').includes(id)),
      )
      const rest = await keys('withoutStanding=holder,helper')
      expect(rest, person).to.have.members(
        all.map(({ record }) => record.id).filter((id) => ![...having('holder'), ...having('helper')].includes(id)),
      )
      const { records: told, count } = (await ask(person, 'standings=true&count=true&standing=holder')).body
      expect(count).to.equal(having('holder').length)
      for (const one of told) {
        expect(one.seenBy, 'clauses are not for clients').to.deep.equal([])
        expect(one.standings).to.include('holder')
        expect(one.standings.every((name: string) => ['holder', 'helper'].includes(name))).to.equal(true)
      }
    }
  })

  it('are told only where the application says so', async () => {
    for (const [query, detail] of [
      ['standing=warden', 'there is no standing "warden"'],
      ['standing=', 'standing: name a standing'],
      ['standing=holder&standing=helper', 'standing is given twice'],
      ['standings=yes', 'standings: needs true or false'],
    ] as const) {
      const { status, body } = await ask('ines', query)
      expect([status, body.detail.includes(detail)], body.detail).to.deep.equal([400, true])
    }
    const silent = serve().app
    for (const query of ['standings=true', 'standing=holder']) {
      const { status } = await silent.request(`http://localhost/api/plots?${query}`, { headers: { 'x-person': 'ines' } })
      expect(status, query).to.equal(400)
    }
    expect(() => serve({ standings: { plot: ['holdr'] } })).to.throw('Did you mean "holder"?')
    const document = JSON.stringify(openApi(book, { title: 't', version: '1', base: '/api', standings: { plot: ['holder'] } }))
    expect(document).to.include('"withoutStanding"')
    expect(JSON.stringify(openApi(book, { title: 't', version: '1', base: '/api' }))).not.to.include('"withoutStanding"')
  })
})
