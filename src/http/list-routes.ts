import type { Condition, TypeModel } from '../rulebook/index.js'
import { type Call, json, NOWHERE, type WatchedList } from './call.js'
import { RequestError } from './error.js'
import { readQuery } from './query.js'

type Where = (record: unknown) => Condition

/** A list or a page of it; a live list if the client accepts events. `within` limits it to the records of a link. */
export async function list(call: Call, type: TypeModel, within?: Where): Promise<Response> {
  const { site, store, params } = call
  if (wantsEvents(call.request)) {
    if (call.watch === undefined || within !== undefined) throw new RequestError(406, 'This is not a live list. Request application/json.')
    return call.watch(await watched(call, type, params))
  }
  const { count, include, size = site.pageSize, where: asked, ...query } = readQuery(type, params, site.pageLimit)
  const where = both(within, asked)
  const narrowed = where === undefined ? {} : { where: where }
  const along = include === undefined ? {} : { include: Object.fromEntries(include.map((name) => [name, true])) }
  const page = await store.page(type.name, { ...query, ...narrowed, ...along, size } as never)
  const more = count ? { count: await store.count(type.name, narrowed) } : {}
  return json({ ...page, ...more, ...(call.isVisitor && (await opensBySigningIn(call, type)) ? { signIn: site.signIn ?? true } : {}) })
}

/** Whether a visitor may never read the type, while some signed-in people may. */
async function opensBySigningIn({ store }: Call, type: TypeModel): Promise<boolean> {
  return (type.rules?.may.read.length ?? 0) > 0 && (await store.may('read', type.name)) === 'never'
}

/** The most lists over one connection. */
const MOST_LISTS = 50

/**
 * Several lists over one connection, each with its path: `?list=plots%3Fmay%3Dupdate&list=entries`. An error in one list is reported for
 * that list.
 */
export async function severalLists(call: Call): Promise<Response> {
  const { site, request, params, watch } = call
  if (watch === undefined || !wantsEvents(request)) throw new RequestError(406, 'These are live lists. Request text/event-stream.')
  const odd = [...params.keys()].find((name) => name !== 'list')
  if (odd !== undefined) throw new RequestError(400, `${odd}: the only parameter here is list, once for each list`)
  const addresses = params.getAll('list')
  if (addresses.length === 0 || addresses.length > MOST_LISTS)
    throw new RequestError(400, `list: name 1 to ${MOST_LISTS} lists, each by its address below this one`)
  return watch(
    addresses.map((address) => async () => {
      const [path = '', ...search] = address.split('?')
      const type = site.types.get(path)
      if (type === undefined) throw NOWHERE()
      return watched(call, type, new URLSearchParams(search.join('?')))
    }),
  )
}

/** Whether a request asks for a live list. */
function wantsEvents({ headers }: Request): boolean {
  return (headers.get('accept') ?? '').split(',').some((one) => one.split(';')[0]?.trim().toLowerCase() === 'text/event-stream')
}

/** Query parameters that live lists do not support: the page sorts and cuts the list itself. */
const OF_PAGES = ['sort', 'size', 'after', 'count', 'include']

async function watched({ site, store }: Call, type: TypeModel, params: URLSearchParams): Promise<WatchedList> {
  const odd = OF_PAGES.find((name) => params.has(name))
  if (odd !== undefined) throw new RequestError(400, `${odd}: a live list takes where, fields and may. It always contains all records.`)
  const { where, fields, withActions } = readQuery(type, params, site.pageLimit)
  // Report errors in the query now, not within the stream.
  await store.page(type.name, { size: 1, ...(where ? { where: where as never } : {}), ...(fields ? { fields } : {}) } as never)
  const name = [...params]
    .map((pair) => JSON.stringify(pair))
    .sort()
    .join()
  return { type: type.name, query: { where, fields, withActions, name } }
}

/** Combines two filters, either of which may be absent. */
export function both(a: Where | undefined, b: Where | undefined): Where | undefined {
  if (a === undefined || b === undefined) return a ?? b
  return (record) => a(record).and(b(record))
}
