// The routes of the demo world, for tests.
import { createAdaptorServer } from '@hono/node-server'
import { Hono } from 'hono'
import { CredentialError, fromSession, routes } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { book } from '../../examples/world/rulebook.js'
import { ground, options, records } from '../support/world.js'

export const PATHS = { plot: 'plots', entry: 'entries' } as const
export const pathOf = (type: string) => PATHS[type as 'plot'] ?? type

/** A server over a fresh copy of the demo world, on which somebody is whom a header names. */
export function serve(more: object = {}) {
  const store = openStore(book, inMemory(records), { now: options.now, cursorSecret: 'test' })
  const identity = fromSession(
    (request) => {
      const name = request.headers.get('x-person')
      if (name === null) return null
      if (!Object.hasOwn(ground.people, name)) throw new CredentialError(`nobody is ${name}`)
      return ground.people[name] as { id: string; email: string } | null
    },
    { automatic: false },
  )
  const failures: unknown[] = []
  const handle = routes(book, store, {
    identity,
    base: '/api',
    paths: PATHS,
    signIn: 'https://localhost/sign-in',
    onFailure: (error) => failures.push(error),
    ...more,
  })
  const app = new Hono().all('/api/*', (context) => handle(context.req.raw))
  let origin: string | undefined
  const ask = async (person: string | undefined, method: string, path: string, body?: unknown, headers: Record<string, string> = {}) => {
    const text = body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }
    const kind = body === undefined ? {} : { 'content-type': method === 'PATCH' ? 'application/merge-patch+json' : 'application/json' }
    const who = person === undefined ? {} : { 'x-person': person }
    const init = { method, headers: { ...kind, ...who, ...headers }, ...text }
    const response = origin === undefined ? await app.request(`http://localhost${path}`, init) : await fetch(`${origin}${path}`, init)
    const said = await response.text()
    return { status: response.status, headers: response.headers, body: said === '' ? undefined : JSON.parse(said) }
  }
  /** From here on, asks a server on this machine, over the network. */
  const listen = async () => {
    const server = createAdaptorServer({ fetch: app.fetch })
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    origin = `http://127.0.0.1:${(server.address() as { port: number }).port}`
    return () => server.close()
  }
  return { store, ask, failures, app, listen }
}
