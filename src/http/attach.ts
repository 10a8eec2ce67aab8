import type { IncomingMessage, ServerResponse } from 'node:http'
import { isPachterError } from '../condition/index.js'
import type { World } from '../rulebook/index.js'
import { RequestError } from './error.js'
import { type Guard, type Guarded, VARIES } from './guard.js'
import { type Incoming, type Middleware, requestOf, send, turnedAway } from './middleware.js'

/** A request of Node's server, with what a person may see and change. */
export interface WithRules<W extends World = World> {
  rules: Guarded<W>
}

/** A handler of errors, as Express and Connect take it. */
export type ErrorMiddleware = (error: unknown, request: IncomingMessage, response: ServerResponse, next: (error?: unknown) => void) => void

const asked = new WeakMap<IncomingMessage, Request>()

/**
 * For Express, Connect and Node's own server: each request gets `rules`, with the guarded store of who asks. Handlers answer by themselves.
 * Add `answerRefusals` after the handlers. The body is left to parsers of the application.
 *
 * @example
 * const guarded = guard(store, { identity, signIn: '/sign-in' })
 * app.use(attachRules(guarded))
 * app.get('/mine', async (request, response) => response.json(await request.rules.store.list('plot')))
 * app.use(answerRefusals(guarded))
 */
export function attachRules<W extends World>(guarded: Guard<W>): Middleware {
  return (incoming, outgoing, next) => {
    attach(guarded, incoming, outgoing).then(
      (isIn) => isIn && next?.(),
      (error: unknown) => (next === undefined ? outgoing.destroy() : next(error)),
    )
  }
}

/** Whether the request may go on. */
async function attach<W extends World>(guarded: Guard<W>, incoming: Incoming, outgoing: ServerResponse): Promise<boolean> {
  const request = requestOf(incoming, outgoing, false)
  if (typeof request === 'number') {
    turnedAway(outgoing, request)
    return false
  }
  asked.set(incoming, request)
  try {
    ;(incoming as Incoming & WithRules<W>).rules = await guarded.enter(request)
  } catch (error) {
    await send(await guarded.refuse(error, request), outgoing)
    return false
  }
  // The handler may set others.
  outgoing.setHeader('cache-control', 'private, no-cache')
  outgoing.setHeader('vary', VARIES.join(', '))
  return true
}

/**
 * Answers what the store refuses in handlers of Express or Connect: problem details, a small page, or a redirect to sign in. A body that its
 * parser could not read is a 400. Other errors go to the next handler of errors.
 */
export function answerRefusals<W extends World>(guarded: Guard<W>): ErrorMiddleware {
  return (error, incoming, outgoing, next) => {
    const request = asked.get(incoming)
    const known = refusalIn(error)
    if (request === undefined || known === undefined || outgoing.headersSent) return next(error)
    guarded
      .refuse(known, request)
      .then((response) => send(response, outgoing))
      .catch(next)
  }
}

/** An error of ours, or of a parser of bodies. */
function refusalIn(error: unknown): unknown {
  if (isPachterError(error)) return error
  const { status, type } = (typeof error === 'object' && error !== null ? error : {}) as { status?: unknown; type?: unknown }
  // Parsers name what is wrong by a type, such as entity.parse.failed, and by a status.
  if (typeof status !== 'number' || status < 400 || status > 499 || typeof type !== 'string') return undefined
  return new RequestError(status, status === 413 ? 'The body is too large.' : 'The body cannot be read.')
}
