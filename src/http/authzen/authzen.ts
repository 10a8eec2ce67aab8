import { isPachterError, type Row } from '../../condition/index.js'
import type { World } from '../../rulebook/index.js'
import type { Store } from '../../store/index.js'
import { insideOf } from '../../store/internals.js'
import { readBody } from '../body.js'
import { json } from '../call.js'
import { RequestError, SetupError } from '../error.js'
import { checkTransport, isEncrypted, logFailure } from '../guard.js'
import { problemOf, problemResponse } from '../problem.js'
import { evaluate, evaluateAll } from './evaluation.js'
import { searchActions, searchResources, searchSubjects } from './search.js'
import { type AuthZenOptions, type Decisions, decisionsOf } from './subjects.js'

const MOST_BYTES = 2 ** 18
const METADATA = '/.well-known/authzen-configuration'

type Endpoint = (decisions: Decisions, body: Row) => Promise<object>

const ENDPOINTS: { readonly [path: string]: { readonly name: string; readonly answer: Endpoint } } = {
  '/access/v1/evaluation': { name: 'access_evaluation_endpoint', answer: (decisions, body) => evaluate(decisions, body) },
  '/access/v1/evaluations': { name: 'access_evaluations_endpoint', answer: evaluateAll },
  '/access/v1/search/subject': { name: 'search_subject_endpoint', answer: searchSubjects },
  '/access/v1/search/resource': { name: 'search_resource_endpoint', answer: searchResources },
  '/access/v1/search/action': { name: 'search_action_endpoint', answer: searchActions },
}
const SUBJECTS = '/access/v1/search/subject'

/**
 * Decisions for services that are not written in TypeScript: the OpenID AuthZEN Authorization API 1.0, with evaluation, evaluations, the
 * searches of subjects, resources and actions, and the metadata document. The answers are those of the guarded store.
 *
 * A resource has the name of a record type as its type, and a key as its id. To judge a creation, send the record as the properties of the
 * resource; to judge an update, send `changes` as a property of the action. `{ "type": "privilege", "id": "openLedger" }` with the action
 * `have`, and `{ "type": "routine", ... }` with `call`, ask for what belongs to no record.
 *
 * @throws SetupError
 * @example
 * const decide = authzen(store, {
 *   caller: (request) => request.headers.get('authorization') === `Bearer ${process.env.DECISIONS_TOKEN}`,
 *   subject: async ({ id }) => accounts.get(id),
 * })
 * app.all('/access/*', (context) => decide(context.req.raw))
 */
export function authzen<W extends World>(store: Store<W>, options: AuthZenOptions<W>): (request: Request) => Promise<Response> {
  for (const name of ['caller', 'subject'] as const)
    if (typeof options[name] !== 'function') throw new SetupError(name, 'a function is needed')
  const { base = '/', onFailure = logFailure } = options
  if (!base.startsWith('/')) throw new SetupError('base', 'the path has to begin with /')
  const { model } = insideOf(store as unknown as Store)
  const below = base.replace(/\/+$/, '')
  const answered = async (request: Request): Promise<Response> => {
    checkTransport(request, options)
    const { pathname, host } = new URL(request.url)
    if (pathname === `${METADATA}${below}` || pathname === `${below}${METADATA}`)
      return metadata(request, `${isEncrypted(request, options) ? 'https' : 'http'}://${host}${below}`, options.subjects !== undefined)
    const path = pathname.startsWith(`${below}/`) ? pathname.slice(below.length) : ''
    const endpoint = Object.hasOwn(ENDPOINTS, path) && (path !== SUBJECTS || options.subjects !== undefined) ? ENDPOINTS[path] : undefined
    if (endpoint === undefined) throw new RequestError(404, 'There is nothing at this address.')
    if (request.method !== 'POST') throw new RequestError(405, 'Use POST at this address.', { allow: 'POST' })
    if ((await options.caller(request)) !== true)
      throw new RequestError(401, 'This service may not ask for decisions.', { 'www-authenticate': 'Bearer' })
    const body = await readBody(request, ['application/json'], MOST_BYTES)
    return json(await endpoint.answer(decisionsOf(store, model, options), body), { headers: { 'cache-control': 'no-store' } })
  }
  return async (request) => {
    const response = await answered(request).catch((error: unknown) => {
      // The claims are the application's: the service that asks cannot mend them.
      const told = problemOf(isPachterError(error, 'BAD_CLAIMS') ? undefined : error, { scheme: 'Bearer' })
      if (told.problem.status >= 500) onFailure(error, request)
      return problemResponse(told)
    })
    // The asking service finds its request in logs by it.
    const id = request.headers.get('x-request-id')
    if (id !== null) response.headers.set('x-request-id', id)
    return response
  }
}

function metadata(request: Request, at: string, hasSubjects: boolean): Response {
  if (request.method !== 'GET' && request.method !== 'HEAD') throw new RequestError(405, 'Use GET at this address.', { allow: 'GET, HEAD' })
  const endpoints = Object.entries(ENDPOINTS).filter(([path]) => path !== SUBJECTS || hasSubjects)
  return json(
    { policy_decision_point: at, ...Object.fromEntries(endpoints.map(([path, { name }]) => [name, `${at}${path}`])) },
    { headers: { 'cache-control': 'public, max-age=3600' } },
  )
}
