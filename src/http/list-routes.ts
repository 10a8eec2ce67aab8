import type { Row } from '../condition/index.js'
import type { Condition, TypeModel } from '../rulebook/index.js'
import type { Described } from '../store/read/query.js'
import { readBody } from './body.js'
import { type Call, json, NOWHERE, type WatchedList } from './call.js'
import { RequestError } from './error.js'
import { readQuery } from './query.js'

type Where = (record: unknown) => Condition

/** A list or a page of it; a live list if the client accepts events. `within` limits it to the records of a link. */
export async function list(call: Call, type: TypeModel, within?: Where): Promise<Response> {
  const { site, store, params } = call
  if (wantsEvents(call.request)) {
    if (call.watch === undefined || within !== undefined) throw new RequestError(406, 'This is not a live list. Request application/json.')
    return call.watch.one(await watched(call, type, params))
  }
  const told = site.standings[type.name]
  const {
    count,
    include,
    size = site.pageSize,
    where: asked,
    standing,
    withoutStanding,
    ...query
  } = readQuery(type, params, site.pageLimit, told)
  if (query.withStandings && told === undefined)
    throw new RequestError(400, `standings: those on ${type.name} records are not available here`)
  const where = both(within, asked)
  const narrowed = {
    ...(where === undefined ? {} : { where }),
    ...(standing === undefined ? {} : { standing }),
    ...(withoutStanding === undefined ? {} : { withoutStanding }),
  }
  const along = include === undefined ? {} : { include: Object.fromEntries(include.map((name) => [name, true])) }
  const page = await store.page(type.name, { ...query, ...narrowed, ...along, size } as never)
  const more = count ? { count: await store.count(type.name, narrowed as never) } : {}
  const records = query.withStandings ? page.records.map((one) => toldOf(one as never, told)) : page.records
  return json({
    ...page,
    records,
    ...more,
    ...(call.isVisitor && (await opensBySigningIn(call, type)) ? { signIn: site.signIn ?? true } : {}),
  })
}

/** A record with the standings that may be told; the clauses by which it is seen are not for clients. */
function toldOf(one: Described<Row>, told: readonly string[] = []): Described<Row> {
  return { ...one, standings: one.standings.filter((name) => told.includes(name)), seenBy: [] }
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
  const { request, params, watch } = call
  if (watch === undefined || !wantsEvents(request)) throw new RequestError(406, 'These are live lists. Request text/event-stream.')
  const odd = [...params.keys()].find((name) => name !== 'list')
  if (odd !== undefined) throw new RequestError(400, `${odd}: the only parameter here is list, once for each list`)
  const addresses = params.getAll('list')
  if (addresses.length === 0 || addresses.length > MOST_LISTS)
    throw new RequestError(400, `list: name 1 to ${MOST_LISTS} lists, each by its address below this one`)
  return watch.several(addresses.map((address) => listAt(call, address)))
}

/** A list by its address below this one. */
function listAt(call: Call, address: string): () => Promise<WatchedList> {
  return async () => {
    const [path = '', ...search] = address.split('?')
    const type = call.site.types.get(path)
    if (type === undefined) throw NOWHERE()
    return watched(call, type, new URLSearchParams(search.join('?')))
  }
}

/**
 * Adds lists to an open stream of the asker and removes others: `{ "add": { "2": "plots?may=update" }, "remove": [0] }`, by numbers that the
 * client gives, each higher than all before. The stream sends the added lists; the others are not read again.
 */
export async function changeLists(call: Call, id: string): Promise<Response> {
  const { add = {}, remove = [], ...others } = await readBody(call.request, ['application/json'], call.site.bodyLimit)
  // From here to the change, nothing may be awaited: another request could change the same stream.
  const stream = call.watch?.stream(id)
  if (stream === undefined) throw new RequestError(404, 'This stream is not open here. Request the lists again.')
  const odd = Object.keys(others)[0]
  if (odd !== undefined) throw new RequestError(400, `${odd}: only add and remove can be sent here`)
  if (typeof add !== 'object' || add === null || Array.isArray(add) || Object.values(add).some((address) => typeof address !== 'string'))
    throw new RequestError(400, 'add: an object is needed, with the address of a list for each number')
  if (!Array.isArray(remove) || !remove.every((number) => Number.isSafeInteger(number) && number >= 0 && number <= stream.highest))
    throw new RequestError(400, 'remove: a list of numbers is needed, each of a list of this stream')
  const added = Object.entries(add as { readonly [number: string]: string }).map(([number, address]) => [Number(number), address] as const)
  if (added.some(([number]) => !Number.isSafeInteger(number) || number <= stream.highest))
    throw new RequestError(400, `add: each number has to be a whole number above ${stream.highest}`)
  if (stream.size + added.length > MOST_LISTS) throw new RequestError(400, `add: a stream can have ${MOST_LISTS} lists`)
  await stream.change(new Map(added.map(([number, address]) => [number, listAt(call, address)])), remove as number[])
  return new Response(null, { status: 204 })
}

/** Whether a request asks for a live list. */
function wantsEvents({ headers }: Request): boolean {
  return (headers.get('accept') ?? '').split(',').some((one) => one.split(';')[0]?.trim().toLowerCase() === 'text/event-stream')
}

/** Query parameters that live lists do not support: the page sorts and cuts the list itself. */
const OF_PAGES = ['sort', 'size', 'after', 'count', 'include', 'standing', 'withoutStanding', 'standings']

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
