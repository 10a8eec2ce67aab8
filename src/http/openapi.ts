import { serverKey, type World } from '../rulebook/index.js'
import type { Rulebook } from '../viewpoint/index.js'
import type { Site } from './call.js'
import { type Json, keySchema, type OperationDoc, ref } from './openapi-parts.js'
import { PROBLEM, schemasOf } from './openapi-schemas.js'
import { METHODS, type Route } from './route.js'
import type { RouteOptions } from './route-options.js'
import { routeTable } from './route-table.js'
import { siteOf } from './site.js'

/** What the document needs besides the rulebook: the same options as `routes`. */
export interface OpenApiOptions<W extends World = World>
  extends Pick<
    RouteOptions<W>,
    'base' | 'types' | 'paths' | 'standings' | 'actions' | 'files' | 'matchRequired' | 'pageSize' | 'pageLimit' | 'rulesAt' | 'listsAt'
  > {
  readonly title: string
  readonly version: string
  /** The OpenAPI security scheme. Default: a bearer token. */
  readonly security?: object
}

/**
 * Creates an OpenAPI 3.1 document of the routes, from the shapes and the rules: a path has the methods that some clause allows, with the
 * clauses in plain English. It comes from the same table that serves the requests.
 * @example
 * app.get('/openapi.json', (context) => context.json(openApi(book, { title: 'Allotments', version: '1', base: '/api' })))
 */
export function openApi<W extends World>(book: Rulebook<W>, options: OpenApiOptions<W>): Json {
  const { title, version, security = { type: 'http', scheme: 'bearer', bearerFormat: 'JWT' }, ...served } = options
  const site = siteOf(book.model, served as never)
  const types = [...site.types.values()]
  const described = routeTable(site).flatMap((route) => pathOf(site, route))
  const statuses = [...new Set(described.flatMap(({ statuses: one }) => one))].sort((a, b) => a - b)
  return {
    openapi: '3.1.1',
    info: { title, version },
    security: [{ person: [] }, {}],
    tags: types.map(({ name }) => ({ name })),
    paths: Object.fromEntries(described.map(({ path, item }) => [path, item])),
    components: {
      securitySchemes: { person: security },
      schemas: { problem: PROBLEM, ...Object.fromEntries(types.flatMap((type) => schemasOf(type))) },
      responses: Object.fromEntries(
        statuses.map((status) => [
          `problem${status}`,
          { description: PROBLEMS[status], content: { 'application/problem+json': { schema: ref('problem') } } },
        ]),
      ),
    },
  }
}

/** The problems that routes may respond with, by status. */
const PROBLEMS: { readonly [status: number]: string } = {
  400: 'Bad Request: the request is not understood.',
  401: 'Unauthorized: sign in.',
  403: 'Forbidden, with the message of the rule.',
  404: 'Not Found: there is no such record, or none that the asker may see.',
  406: 'Not Acceptable: this is not a live list, or only a live list.',
  409: 'Conflict: some of the records may not be changed.',
  412: 'Precondition Failed: the record has changed since it was loaded.',
  413: 'Content Too Large.',
  415: 'Unsupported Media Type.',
  422: 'Unprocessable Content: invalid, with the faults by field.',
  428: 'Precondition Required: send If-Match with the ETag of the record.',
  429: 'Too Many Requests: too many live lists are open.',
  500: 'Internal Server Error: nothing was written.',
  503: 'Service Unavailable: try again later.',
}
/** Problems that every route may respond with. */
const ANYWHERE = [401, 500, 503]

interface Described {
  readonly path: string
  readonly item: Json
  readonly statuses: readonly number[]
}

/** A path with the methods that the document shows; empty if there are none. */
function pathOf(site: Site, { steps, endpoints }: Route): Described[] {
  const docs = METHODS.flatMap((method) => {
    const doc = endpoints[method]?.doc
    return doc === undefined ? [] : [[method.toLowerCase(), doc] as const]
  })
  if (docs.length === 0) return []
  const type = site.types.get(steps[0] as string)
  const names = steps.map((step) => (typeof step === 'string' ? step : `{${nameOf(step.param, type && serverKey(type))}}`))
  const given = steps.flatMap((step) => {
    if (typeof step === 'string') return []
    const schema = step.param === 'key' && type !== undefined ? keySchema(type) : { type: 'string' }
    return [{ name: nameOf(step.param, type && serverKey(type)), in: 'path', required: true, schema }]
  })
  const item = {
    ...(given.length === 0 ? {} : { parameters: given }),
    ...Object.fromEntries(docs.map(([method, doc]) => [method, operationOf(doc)])),
  }
  return [{ path: `${site.base}/${names.join('/')}`, item, statuses: docs.flatMap(([, doc]) => statusesOf(doc)) }]
}

function nameOf(param: 'key' | 'inner' | 'rest', key: string | undefined): string {
  return param === 'key' ? (key ?? 'key') : param === 'inner' ? 'linked' : 'file'
}

function statusesOf({ problems }: OperationDoc): number[] {
  return [...new Set([...ANYWHERE, ...problems])].sort((a, b) => a - b)
}

function operationOf(doc: OperationDoc): Json {
  const { id, tag, problems: _problems, responses, ...more } = doc
  const problems = statusesOf(doc).map((status) => [status, { $ref: `#/components/responses/problem${status}` }])
  return {
    operationId: id,
    ...(tag === undefined ? {} : { tags: [tag] }),
    ...more,
    responses: { ...responses, ...Object.fromEntries(problems) },
  }
}
