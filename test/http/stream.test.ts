import { expect } from 'chai'
import { type Messages, overRedis } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { createClient } from 'redis'
import { book } from '../../examples/world/rulebook.js'
import { revoked, serve } from '../support/live-server.js'
import { options, records } from '../support/world.js'

/** Reads a stream, event by event. */
async function stream(url: string, path: string, person?: string) {
  const gone = new AbortController()
  const headers = { accept: 'text/event-stream', ...(person ? { 'x-person': person } : {}) }
  const response = await fetch(`${url}${path}`, { headers, signal: gone.signal })
  const reader = response.body?.pipeThrough(new TextDecoderStream()).getReader()
  let text = ''
  const next = async (): Promise<{ event: string; data: any } | undefined> => {
    for (;;) {
      const end = text.indexOf('\n\n')
      if (end < 0) {
        const part = await reader?.read().catch(() => undefined)
        if (part === undefined || part.done) return undefined
        text += part.value
        continue
      }
      const lines = text.slice(0, end).split('\n')
      text = text.slice(end + 2)
      const about = Object.fromEntries(lines.map((line) => [line.split(':')[0], line.slice(line.indexOf(':') + 1).trim()]))
      if (about.event !== undefined) return { event: about.event, data: JSON.parse(about.data ?? 'null') }
    }
  }
  return { response, next, leave: () => gone.abort() }
}

const soon = async (condition: () => boolean) => {
  for (let tries = 0; !condition() && tries < 400; tries++) await new Promise((resolve) => setTimeout(resolve, 5))
  expect(condition()).to.equal(true)
}

describe('lists as streams', () => {
  let one: Awaited<ReturnType<typeof serve>>
  beforeEach(async () => {
    revoked.clear()
    one = await serve()
  })
  afterEach(() => one.close())
  const system = () => one.store.asSystem('a test')

  it('come whole, and then as they change', async () => {
    const { response, next, leave } = await stream(one.url, '/plot?fields=planting&may=update', 'ines')
    expect([response.status, response.headers.get('content-type')]).to.deep.equal([200, 'text/event-stream; charset=utf-8'])
    const first = await next()
    expect(first?.event).to.equal('listed')
    expect(first?.data.records[0]).to.deep.include({
      record: { id: 'p-01', planting: 'garlic, rhubarb' },
      may: { update: { allowed: true, fields: ['planting'] } },
    })
    await system().update('plot', 'p-01', { planting: 'leeks' })
    const second = await next()
    expect([second?.event, second?.data.record.record]).to.deep.equal(['changed', { id: 'p-01', planting: 'leeks' }])
    await system().update('plot', 'p-06', { state: 'let', holderId: 'm-02' })
    expect(await next()).to.deep.equal({ event: 'gone', data: { key: 'p-06' } })
    leave()
    await soon(() => one.live.watching.people === 0)
  })

  const refused: readonly [what: string, path: string, person: string | undefined, status: number][] = [
    ['what nobody serves', '/plit', 'ines', 404],
    ['what is no filter', '/plot?where.numbr=1', 'ines', 400],
    ['a page', '/plot?size=2', 'ines', 400],
    ['an order', '/plot?sort=number', 'ines', 400],
    ['one record', '/plot/p-02', 'ines', 404],
    ['what belongs to a record', '/plot/p-01/shares', 'ines', 406],
  ]
  for (const [what, path, person, status] of refused)
    it(`are refused before they begin: ${what}`, async () => {
      expect((await stream(one.url, path, person)).response.status).to.equal(status)
      expect(one.live.watching.people).to.equal(0)
    })

  it('end when the person has signed out', async () => {
    const { next } = await stream(one.url, '/plot', 'bram')
    await next()
    revoked.add('bram')
    expect(await next()).to.deep.equal({ event: 'ended', data: { why: 'sign in' } })
    expect(await next()).to.equal(undefined)
    expect(one.live.watching.people).to.equal(0)
  })

  it('come by one connection, where several are asked for, and each says what is wrong with it alone', async () => {
    const lists = ['plot?fields=planting', 'share', 'plot?where.numbr=1', 'plit', 'invoice?size=2'].map(
      (list) => `list=${encodeURIComponent(list)}`,
    )
    const { response, next, leave } = await stream(one.url, `/my-lists?${lists.join('&')}`, 'bram')
    expect(response.status).to.equal(200)
    expect((await next())?.event).to.equal('stream')
    const first = [await next(), await next(), await next(), await next(), await next()]
    const told = first.map((one) => `${one?.data.list} ${one?.event} ${one?.data.status ?? ''}`.trim()).sort()
    expect(told).to.deep.equal(['0 listed', '1 listed', '2 refused 400', '3 refused 404', '4 refused 400'])
    expect(one.live.watching.people).to.equal(2)
    await system().delete('share', 'h-01')
    const rest = [await next(), await next()].map((one) => `${one?.data.list} ${one?.event} ${one?.data.key}`)
    expect(rest.sort()).to.deep.equal(['0 gone p-01', '1 gone h-01'])
    revoked.add('bram')
    expect(await next()).to.deep.equal({ event: 'ended', data: { why: 'sign in' } })
    expect(one.live.watching.people).to.equal(0)
    leave()
  })

  it('over one connection wait for a slow reader: each list is sent again separately', async () => {
    const { next, leave } = await stream(one.url, '/my-lists?list=plot&list=notice', 'farah')
    await next()
    await next()
    await next()
    const long = 'x'.repeat(4000)
    for (let round = 0; round < 700; round++) {
      await system().update('plot', 'p-01', { planting: `${round} ${long}` })
      if (round === 350) await system().update('notice', 'n-01', { title: 'In between' })
      await one.live.settled()
    }
    const lists: { [list: number]: Map<string, any> } = { 0: new Map(), 1: new Map() }
    while (lists[0]?.get('p-01')?.planting.split(' ')[0] !== '699') {
      const event = await next()
      if (event === undefined) break
      const { list, records = [event.data.record] } = event.data
      for (const row of records) lists[list]?.set(row.id, row)
    }
    expect(lists[0]?.get('p-01')?.planting.split(' ')[0]).to.equal('699')
    // What was dropped of it comes again as well.
    for (let tries = 0; tries < 3 && lists[1]?.get('n-01')?.title !== 'In between'; tries++) {
      const event = await next()
      for (const row of event?.data.records ?? []) lists[event?.data.list]?.set(row.id, row)
    }
    expect(lists[1]?.get('n-01')?.title).to.equal('In between')
    leave()
  })

  describe('over one connection can be changed', () => {
    const change = async (id: string, body: unknown, person = 'bram') => {
      const headers = { 'content-type': 'application/json', 'x-person': person }
      return (await fetch(`${one.url}/my-lists/${id}`, { method: 'POST', headers, body: JSON.stringify(body) })).status
    }
    const begin = async () => {
      const opened = await stream(one.url, '/my-lists?list=plot&list=share', 'bram')
      const { data } = (await opened.next()) as { data: { id: string } }
      await opened.next()
      await opened.next()
      return { ...opened, id: data.id }
    }

    it('by their person: lists are added, and others end', async () => {
      const { next, leave, id } = await begin()
      expect(await change(id, { add: { 2: 'notice', 3: 'plit' }, remove: [0] })).to.equal(204)
      const told = [await next(), await next()].map((one) => `${one?.data.list} ${one?.event}`)
      expect(told.sort()).to.deep.equal(['2 listed', '3 refused'])
      await system().update('plot', 'p-02', { planting: 'leeks' })
      await system().update('share', 'h-01', { level: 'look' })
      expect((await next())?.data.list).to.equal(1)
      expect(one.live.watching.people).to.equal(2)
      leave()
      await soon(() => one.live.watching.people === 0)
      expect(await change(id, { add: { 9: 'plot' } })).to.equal(404)
    })

    const REFUSED: readonly (readonly [what: string, body: unknown, status: number, person?: string])[] = [
      ['by another person', { add: { 2: 'notice' } }, 404, 'ines'],
      ['with a number that was used', { add: { 1: 'notice' } }, 400],
      ['with an odd number', { add: { 'x-1': 'notice' } }, 400],
      ['with a fraction', { add: { 2.5: 'notice' } }, 400],
      ['with an odd address', { add: { 2: ['notice'] } }, 400],
      ['with a list', { add: ['notice'] }, 400],
      ['with too many', { add: Object.fromEntries(Array.from({ length: 49 }, (_, at) => [at + 2, 'notice'])) }, 400],
      ['without a list of that number', { remove: [7] }, 400],
      ['with something else', { list: 'plot' }, 400],
    ]
    for (const [what, body, status, person] of REFUSED)
      it(`but not ${what}`, async () => {
        const { leave, id } = await begin()
        expect(await change(id, body, person)).to.equal(status)
        expect(one.live.watching.people).to.equal(2)
        leave()
      })

    it('but not without a stream', async () => {
      expect(await change('00000000-0000-4000-8000-000000000000', { add: { 2: 'notice' } })).to.equal(404)
    })
  })

  const badLists: readonly [what: string, search: string, accept: string, status: number][] = [
    ['none', '', 'text/event-stream', 400],
    ['too many', Array(51).fill('list=plot').join('&'), 'text/event-stream', 400],
    ['another parameter', 'list=plot&size=2', 'text/event-stream', 400],
    ['JSON', 'list=plot', 'application/json', 406],
  ]
  for (const [what, search, accept, status] of badLists)
    it(`by one connection are refused: ${what}`, async () => {
      const response = await fetch(`${one.url}/my-lists?${search}`, { headers: { accept, 'x-person': 'ines' } })
      expect([response.status, one.live.watching.people]).to.deep.equal([status, 0])
    })

  it('are not answered to HEAD', async () => {
    const response = await fetch(`${one.url}/plot`, { method: 'HEAD', headers: { accept: 'text/event-stream', 'x-person': 'ines' } })
    expect(response.status).to.equal(200)
    await soon(() => one.live.watching.people === 0)
  })

  it('wait for a slow reader, who gets the whole list if that is shorter', async () => {
    const { next, leave } = await stream(one.url, '/plot', 'farah')
    await next()
    // So much that the connection holds it no more: what is left over is not kept for somebody who may never read it.
    const long = 'x'.repeat(4000)
    for (let round = 0; round < 700; round++) {
      await system().update('plot', 'p-01', { planting: `${round} ${long}` })
      await one.live.settled()
    }
    const heard: string[] = []
    let last: unknown
    while (last !== '699') {
      const event = await next()
      if (event === undefined) break
      heard.push(event.event)
      const rows = event.event === 'listed' ? event.data.records : [event.data.record]
      last = rows.find((row: { id: string }) => row.id === 'p-01')?.planting.split(' ')[0]
    }
    expect(last).to.equal('699')
    expect(heard.length).to.be.lessThan(700)
    expect(heard).to.include('listed')
    leave()
  })

  it('tell of what another process has written, by messages', async () => {
    const hearers = new Set<(text: string) => void>()
    const messages: Messages = {
      send: (text) => {
        for (const hear of hearers) hear(text)
      },
      listen: (hear) => {
        hearers.add(hear)
        return () => hearers.delete(hear)
      },
    }
    // The records are in one place: two stores on it stand for two processes.
    const tables = inMemory(records)(book.model)
    const [here, there] = await Promise.all(
      [1, 2].map(() =>
        serve(
          openStore(book, () => tables, { now: options.now }),
          messages,
        ),
      ),
    )
    const { next, leave } = await stream(here?.url as string, '/plot', 'bram')
    await next()
    await there?.store.asSystem('a test').delete('share', 'h-01')
    expect(await next()).to.deep.equal({ event: 'gone', data: { key: 'p-01' } })
    leave()
    await Promise.all([here?.close(), there?.close()])
  })

  const { PACHTER_TEST_REDIS: redis } = process.env
  if (redis)
    it('tell of what another process has written, over Redis, and miss nothing when that is gone for a while', async () => {
      const clients = await Promise.all(
        Array.from({ length: 4 }, () =>
          createClient({ url: redis, socket: { reconnectStrategy: 20 } })
            .on('error', () => undefined)
            .connect(),
        ),
      )
      const tables = inMemory(records)(book.model)
      const process = (at: number) =>
        serve(
          openStore(book, () => tables, { now: options.now }),
          overRedis(clients[at] as never, clients[at + 1] as never, `pachter-test-${globalThis.process.pid}`),
        )
      const [here, there] = [await process(0), await process(2)]
      const { next, leave } = await stream(here.url, '/plot', 'bram')
      await next()
      await there.store.asSystem('a test').delete('share', 'h-01')
      expect(await next()).to.deep.equal({ event: 'gone', data: { key: 'p-01' } })
      // Whoever subscribes loses the connection; what is written meanwhile nobody tells them.
      const admin = await createClient({ url: redis }).connect()
      const own = await admin.sendCommand(['CLIENT', 'LIST', 'TYPE', 'PUBSUB'])
      const ids = [...String(own).matchAll(/^id=(\d+).*$/gm)].map(([, id]) => id as string)
      await Promise.all([
        ...ids.map((id) => admin.sendCommand(['CLIENT', 'KILL', 'ID', id])),
        there.store.asSystem('a test').update('plot', 'p-02', { planting: 'leeks' }),
      ])
      const after = await next()
      expect([after?.event, after?.data.record.planting]).to.deep.equal(['changed', 'leeks'])
      leave()
      await Promise.all([here.close(), there.close()])
      await Promise.all([admin, ...clients].map((client) => client.close()))
    })
  else it('over Redis are left out; to include them: PACHTER_TEST_REDIS=redis://127.0.0.1:6379 npm test')
})
