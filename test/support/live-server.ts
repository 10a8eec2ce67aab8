// A server process over the demo world, whose lists are kept up to date.
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { CredentialError, fromSession, liveLists, type Messages, middleware, routes } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { book } from '../../examples/world/rulebook.js'
import { ground, options, records } from './world.js'

/** Who has signed out. */
export const revoked = new Set<string>()

/** A server process, on a store that several may share. */
export async function serve(store = openStore(book, inMemory(records), { now: options.now }), messages?: Messages, port = 0) {
  const live = liveLists({ tick: 20, ...(messages ? { messages } : {}) })
  const identity = fromSession(
    (request) => {
      const name = new URL(request.url).searchParams.get('as') ?? request.headers.get('x-person')
      if (name !== null && revoked.has(name)) throw new CredentialError('signed out')
      return name === null ? null : (ground.people[name] as { id: string; email: string })
    },
    { automatic: false },
  )
  const handle = routes(book, store, { identity, base: '/api', live, recheck: 0.05 })
  const server: Server = createServer(middleware(handle))
  await new Promise<void>((done) => server.listen(port, '127.0.0.1', done))
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/api`
  const close = async () => {
    await live.close()
    server.closeAllConnections()
    await new Promise((done) => server.close(done))
  }
  return { store, live, url, close, port: (server.address() as AddressInfo).port }
}
