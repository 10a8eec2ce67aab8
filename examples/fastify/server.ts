// A Fastify application with its own handlers, in TypeScript: what is added to it is a hook, and a handler of errors. npm run example:fastify,
// then http://127.0.0.1:4002/plots with the header x-person: ines.
import { fileURLToPath } from 'node:url'
import fastify, { type FastifyInstance, type FastifyRequest } from 'fastify'
import { fromSession, type Guarded, guard } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { recordsOf, today } from '../world/open.js'
import { people } from '../world/people.js'
import { type Allotments, book } from '../world/rulebook.js'

declare module 'fastify' {
  interface FastifyRequest {
    /** Set by the hook before any handler. */
    rules: Guarded<Allotments>
  }
}

/** The request for the guard, which needs no body. */
function standard({ method, url, headers, hostname }: FastifyRequest): Request {
  const all = Object.entries(headers).flatMap(([name, value]) => (value === undefined ? [] : [[name, String(value)] as [string, string]]))
  return new Request(`http://${hostname}${url}`, { method, headers: all })
}

/** The application, not listening yet. */
export function application(): FastifyInstance {
  const types = Object.keys(book.model.types)
  const store = openStore(book, inMemory(Object.fromEntries(types.map((type) => [type, recordsOf(type)]))), { now: today })
  // Your own sessions: here, a header names a person of the demo.
  const identity = fromSession(
    (request) => {
      const name = request.headers.get('x-person') ?? ''
      return Object.hasOwn(people, name) ? people[name as keyof typeof people] : null
    },
    { automatic: false },
  )
  const guarded = guard(store, { identity, signIn: '/sign-in' })
  const asked = new WeakMap<FastifyRequest, Request>()

  const app = fastify()
  app.decorateRequest('rules')
  app.addHook('onRequest', async (request, reply) => {
    const own = standard(request)
    asked.set(request, own)
    request.rules = await guarded.enter(own)
    reply.header('cache-control', 'private, no-cache').header('vary', 'Accept, Authorization, Cookie')
  })
  app.setErrorHandler(async (error, request, reply) => {
    // A body that cannot be read, and other errors of Fastify, have a status of their own.
    const { statusCode = 500 } = error as { statusCode?: number }
    if (statusCode < 500) return reply.code(statusCode).send({ status: statusCode, detail: (error as Error).message })
    const response = await guarded.refuse(error, asked.get(request) as Request)
    return reply
      .code(response.status)
      .headers(Object.fromEntries(response.headers))
      .send(await response.text())
  })

  app.get('/plots', ({ rules }) => rules.store.list('plot', { sort: ['number'], withActions: ['update'] }))
  app.get<{ Params: { key: string } }>('/plots/:key', ({ rules, params }) => rules.store.get('plot', params.key))
  app.patch<{ Params: { key: string }; Body: { planting: string } }>('/plots/:key', ({ rules, params, body }) =>
    rules.store.update('plot', params.key, { planting: body.planting }),
  )
  app.get<{ Params: { key: string } }>('/plots/:key/remove', async ({ rules, params }) => {
    const { along } = await rules.store.assertMay('delete', 'plot', params.key)
    return { alsoRemoved: along.length }
  })
  return app
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const address = await application().listen({ host: '127.0.0.1', port: Number(process.env.PORT ?? 4002) })
  console.log(`Marsh Lane Allotments at ${address}/plots`)
}
