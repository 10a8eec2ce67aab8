import type { Row } from '../condition/index.js'
import {
  type Condition,
  type Key,
  type LinkModel,
  type Model,
  nearest,
  sameValue,
  type TypeModel,
  typeModel,
  type World,
} from '../rulebook/index.js'
import { denied, InvalidError } from '../store/errors.js'
import type { MatchingStore } from '../store/guarded-store.js'
import type { GuardedStore, Store } from '../store/index.js'
import { reachesInto } from '../store/write/nested.js'
import type { UpdateOptions } from '../store/write/update.js'
import { type InnerViewpoint, type Rulebook, verdictOf } from '../viewpoint/index.js'
import { asShaped, readBody } from './body.js'
import { byMethod, type Call, json, type Methods, NOWHERE, type Site, tagged, type WatchedList, type Watching } from './call.js'
import { RequestError, SetupError } from './error.js'
import { checkMatch, etagOf } from './etag.js'
import { guard, logFailure } from './guard.js'
import { linkedTo, linkSet } from './linked.js'
import { both, list, severalLists } from './list-routes.js'
import type { LiveEvent } from './live/audience.js'
import { eventStream } from './live/stream.js'
import { hiddenClaims } from './own-claims.js'
import { pageRules } from './page-rules.js'
import { problemOf } from './problem.js'
import { flag, whereOf } from './query.js'
import type { RouteOptions } from './route-options.js'
import { inProduction, reasonsOn, verdictsOn } from './verdict-routes.js'

/**
 * Routes for the records of a rulebook, over a guarded store: a function from a Fetch standard request to its response.
 * `GET` lists and gets, `POST` creates, `PATCH` updates (JSON Merge Patch, RFC 7396), `DELETE` removes; of one record, or of all
 * that filters name. Refusals are problem details (RFC 9457).
 *
 * @throws SetupError
 * @example
 * const records = routes(book, store, { identity: fromToken({ ... }), base: '/api' })
 * app.all('/api/*', (context) => records(context.req.raw))
 */
export function routes<W extends World>(
  book: Rulebook<W>,
  store: Store<W>,
  options: RouteOptions<W>,
): (request: Request) => Promise<Response> {
  const site = siteOf(book.model, options as never)
  const guarded = guard(store, options)
  const { live, identity, recheck = 30, visitor, signIn: at, onFailure = logFailure } = options
  live?.hearOf(store)
  const watching = (me: W['me'] | null, request: Request): Watching | undefined => {
    if (live === undefined) return undefined
    const said = JSON.stringify(me)
    const one = ({ type, query }: WatchedList, hear: (event: LiveEvent) => void) =>
      live.watch(store, me, type, query, hear, me === null ? visitor?.(request) : undefined)
    return (lists) =>
      eventStream(
        typeof lists === 'object' && 'type' in lists
          ? (hear) => one(lists, hear)
          : lists.map((list) => async (hear) => one(await list(), hear)),
        {
          recheck: async () => JSON.stringify(await identity(request)) === said,
          recheckEvery: recheck * 1000,
          beat: 20_000,
          refusal: (error) => {
            const { problem } = problemOf(error, { at, scheme: identity.scheme ?? 'Bearer' })
            if (problem.status >= 500) onFailure(error, request)
            return problem
          },
        },
      )
  }
  return (request) =>
    guarded(request, ({ store: mine, me }) => answer(site, mine as unknown as GuardedStore, request, watching(me, request), me === null))
}

function siteOf(model: Model, { base = '/', types, paths = {}, actions = {}, files = {}, ...options }: RouteOptions): Site {
  if (!base.startsWith('/')) throw new SetupError('base', 'a path begins with /')
  const served = (types ?? Object.keys(model.types)).map((name) => typeModel(model, name))
  for (const name of Object.keys(paths)) typeModel(model, name)
  const named = served.map((type) => [(paths as Record<string, string>)[type.name] ?? type.name, type] as const)
  for (const [path] of named) {
    if (!/^[A-Za-z0-9._~-]+$/.test(path)) throw new SetupError('paths', `${JSON.stringify(path)} is no single step of an address`)
    if (named.filter(([other]) => other === path).length > 1) throw new SetupError('paths', `two record types at ${path}`)
  }
  for (const name of Object.keys(files))
    if (Object.hasOwn(typeModel(model, name).links, 'files')) throw new SetupError(`files.${name}`, 'there is a link of that name')
  for (const [type, mine] of Object.entries(actions)) {
    const { actions: known } = typeModel(model, type)
    for (const action of Object.keys(mine ?? {}))
      if (!known.slice(4).includes(action)) {
        const near = nearest(action, known.slice(4))
        throw new SetupError(
          `actions.${type}`,
          `${type} names no action ${JSON.stringify(action)}${near === undefined ? '' : `: is it meant to be ${near}?`}`,
        )
      }
  }
  const { rulesAt = 'my-rules', listsAt = 'my-lists', showReasons = false } = options
  if (showReasons && inProduction()) throw new SetupError('showReasons', 'is for developers: reasons are not told in production')
  for (const [name, at] of Object.entries({ rulesAt, listsAt }))
    if (named.some(([path]) => path === at)) throw new SetupError(name, `there is a record type at ${at}`)
  const pathOf = new Map(named.map(([path, { name }]) => [name, path]))
  return {
    model,
    base: base.replace(/\/+$/, ''),
    types: new Map(named),
    pathOf: (type) => pathOf.get(type),
    actions: actions as Site['actions'],
    files: files as Site['files'],
    bodyLimit: options.bodyLimit ?? 2 ** 20,
    pageSize: options.pageSize ?? 50,
    pageLimit: Math.max(options.pageLimit ?? 200, options.pageSize ?? 0),
    matchRequired: options.matchRequired ?? false,
    rulesAt,
    listsAt,
    showReasons,
    signIn: options.signIn,
  }
}

async function answer(
  site: Site,
  store: GuardedStore,
  request: Request,
  watch: Watching | undefined,
  isVisitor: boolean,
): Promise<Response> {
  if (request.url.length > LONGEST_ADDRESS) throw new RequestError(414, `The address may have ${LONGEST_ADDRESS} characters.`)
  const url = new URL(request.url)
  if (url.pathname !== site.base && !url.pathname.startsWith(`${site.base}/`)) throw NOWHERE()
  const steps = stepsOf(url.pathname.slice(site.base.length))
  const call: Call = { site, store, request, params: url.searchParams, watch, isVisitor }
  const [path, key, link, inner, ...more] = steps
  if (path !== undefined && path === site.rulesAt && link === undefined) {
    if (key === undefined) return byMethod(call, ownRules(call))
    if (key === 'verdicts') return byMethod(call, verdictsOn(call))
    if (key === 'why' && site.showReasons) return byMethod(call, reasonsOn(call))
  }
  if (path !== undefined && path === site.listsAt && key === undefined) return byMethod(call, severalLists(call))
  const type = path === undefined ? undefined : site.types.get(path)
  if (type === undefined) throw NOWHERE()
  if (key !== undefined && link === 'files' && inner !== undefined && site.files[type.name] !== undefined)
    return byMethod(call, file(call, type, keyOf(type, key), [inner, ...more].join('/')))
  if (more.length > 0) throw NOWHERE()
  if (key === undefined) return byMethod(call, collection(call, type))
  const own = keyOf(type, key)
  if (link === undefined) return byMethod(call, single(call, type, own))
  if (type.actions.slice(4).includes(link) && inner === undefined) return byMethod(call, action(call, type, own, link))
  const found = Object.hasOwn(type.links, link) ? (type.links[link] as LinkModel) : undefined
  const to = found && site.pathOf(found.to) === undefined ? undefined : found
  if (to === undefined) throw NOWHERE()
  return byMethod(call, await nested(call, type, own, to, inner))
}

function stepsOf(path: string): string[] {
  try {
    return path
      .split('/')
      .filter((step, at, all) => step !== '' || (at > 0 && at < all.length - 1))
      .map(decodeURIComponent)
  } catch {
    throw new RequestError(400, 'The address cannot be read.')
  }
}

/** A key as the type has it. A text that cannot be one is a key that no record has. */
function keyOf(type: TypeModel, text: string): Key {
  return type.fields[type.key]?.type === 'integer' && /^-?\d{1,16}$/.test(text) ? Number(text) : text
}

/** The rules of whoever asks, for their page. */
function ownRules({ site, store, request }: Call): Methods {
  return {
    async GET() {
      const view = (await store.viewpoint()) as InnerViewpoint
      const rules = pageRules(view, {
        types: [...site.types.values()].map(({ name }) => name),
        signIn: site.signIn,
        isHidden: await hiddenClaims(store, view),
      }) as unknown as Row
      return tagged(request, rules)
    },
  }
}

function collection(call: Call, type: TypeModel, within?: (record: unknown) => Condition): Methods {
  return {
    GET: () => list(call, type, within),
    ...(within === undefined
      ? { POST: () => create(call, type), PATCH: () => updateMany(call, type), DELETE: () => deleteMany(call, type) }
      : {}),
  }
}

/** A new record; beneath another, one that is linked to it: what else is sent of the link must lead there as well. */
async function create({ site, store, request }: Call, type: TypeModel, link: Row = {}): Promise<Response> {
  const given = asShaped(type, await readBody(request, ['application/json'], site.bodyLimit))
  const odd = Object.keys(link).find((name) => given[name] !== undefined && !sameValue(type.fields[name], given[name], link[name]))
  if (odd !== undefined) throw new InvalidError(type.name, [{ field: odd, problem: 'leads elsewhere than this address: leave it out' }])
  const sent = { ...given, ...link }
  const record = (await store.create(type.name, sent)) as Row
  const location = `${site.base}/${site.pathOf(type.name)}/${encodeURIComponent(String(record[type.key]))}`
  return json(record, { status: 201, headers: { location, etag: await etagOf(record) } })
}

/** So many characters, as servers commonly take. */
const LONGEST_ADDRESS = 16_384
const PATCHES = ['application/merge-patch+json', 'application/json']

function single(call: Call, type: TypeModel, key: Key): Methods {
  const { site, store, request, params } = call
  const none = () => {
    for (const name of params.keys()) throw new RequestError(400, `${name}: this address takes no parameters`)
  }
  const match = () => {
    const header = request.headers.get('if-match')
    if (header === null && site.matchRequired) throw new RequestError(428, 'Say which state you have seen, by If-Match with its ETag.')
    return header
  }
  return {
    async GET() {
      none()
      return tagged(request, (await store.get(type.name, key)) as Row)
    },
    async PATCH() {
      none()
      const header = match()
      const patch = asShaped(type, await readBody(request, PATCHES, site.bodyLimit))
      await checkSeen(store, 'update', type, key)
      const record = await matching(store).update(type.name, key, patch, { match: matchOf(header), merge: true })
      return json(record, { headers: { etag: await etagOf(record) } })
    },
    async DELETE() {
      none()
      const header = match()
      await checkSeen(store, 'delete', type, key)
      await matching(store).delete(type.name, key, { match: matchOf(header) })
      return new Response(null, { status: 204 })
    },
  }
}

/** What was seen, and what a patch reaches into, is looked at on the record that is locked for the write. */
function matching(store: GuardedStore): MatchingStore {
  return store as unknown as MatchingStore
}

function matchOf(header: string | null): UpdateOptions['match'] {
  return header === null ? undefined : (shown) => checkMatch(header, shown)
}

/**
 * Turns away whoever does not see a record before anything of it is locked and judged: by the same questions, whether it is hidden
 * or was never there, so that the time does not tell either.
 */
async function checkSeen(store: GuardedStore, action: 'update' | 'delete', type: TypeModel, key: Key): Promise<void> {
  if ((await store.verdict('read', type.name, key)).allowed) return
  const verdict = await store.verdict(action, type.name, key)
  if (!verdict.allowed) throw denied(verdict)
}

/** Which records a change of several is meant for: those that filters name, or expressly all. */
function meant({ params }: Call, type: TypeModel): { readonly which: object; readonly partly: boolean } {
  for (const name of params.keys())
    if (!name.startsWith('where.') && !['partly', 'all'].includes(name))
      throw new RequestError(400, `${name}: a change of several takes where, all and partly`)
  const where = whereOf(type, params)
  if ((where === undefined) === !flag(params, 'all'))
    throw new RequestError(
      400,
      'Say which records are meant: by filters, as in where.state=let, or all=true for every one that you may see.',
    )
  return { which: { where: where ?? everyOne(type) }, partly: flag(params, 'partly') }
}

function everyOne({ key }: TypeModel): (record: unknown) => Condition {
  return (record) => (record as { field(name: string): { isPresent(): Condition } }).field(key).isPresent()
}

async function updateMany(call: Call, type: TypeModel): Promise<Response> {
  const { which, partly } = meant(call, type)
  const patch = asShaped(type, await readBody(call.request, PATCHES, call.site.bodyLimit))
  if (reachesInto(type, patch))
    throw new RequestError(400, 'A change of several takes whole fields: a part of one differs from record to record.')
  return json(await call.store.updateMany(type.name, which as never, patch as never, { partly }))
}

async function deleteMany(call: Call, type: TypeModel): Promise<Response> {
  const { which, partly } = meant(call, type)
  return json(await call.store.deleteMany(type.name, which as never, { partly }))
}

/** An action that the type names: `GET` asks whether it is allowed, `POST` does what the application says it does. */
function action({ site, store, request }: Call, type: TypeModel, key: Key, name: string): Methods {
  const work = site.actions[type.name]?.[name]
  const judged = async (one: GuardedStore) => {
    const verdict = await one.verdict(name as never, type.name, key)
    if (!verdict.allowed && verdict.outcome !== 'refused') throw denied(verdict)
    return verdict
  }
  return {
    async GET() {
      const { allowed, saying } = await judged(store)
      return json({ allowed, ...(saying === undefined ? {} : { saying }) })
    },
    ...(work === undefined
      ? {}
      : {
          POST: async () => {
            const record = await store.together(async (inside, asSystem) => {
              const verdict = await judged(inside)
              if (!verdict.allowed) throw denied(verdict)
              return work({ request, store: inside, record: (await inside.get(type.name, key)) as Row, asSystem })
            })
            return record === undefined ? new Response(null, { status: 204 }) : json(record)
          },
        }),
  }
}

/** A file of a record, for whoever may read the record. No name leads out of its own. */
function file({ site, store, request }: Call, type: TypeModel, key: Key, name: string): Methods {
  return {
    async GET() {
      if (name.split('/').some((step) => step === '' || step === '.' || step === '..' || /[\\\0]/.test(step))) throw NOWHERE()
      const record = (await store.get(type.name, key)) as Row
      const found = await site.files[type.name]?.({ request, store, record, name })
      if (found === undefined) throw NOWHERE()
      // What people put there is shown as what it is said to be, and runs nowhere.
      const response = new Response(found.body, found)
      response.headers.set('x-content-type-options', 'nosniff')
      if (!response.headers.has('content-security-policy')) response.headers.set('content-security-policy', "default-src 'none'; sandbox")
      if (!response.headers.has('cache-control')) response.headers.set('cache-control', 'private, no-cache')
      return response
    },
  }
}

/** The records that a link leads to from one that the asker may read; a single one of them only where it is among these. */
async function nested(call: Call, parent: TypeModel, key: Key, link: LinkModel, inner: string | undefined): Promise<Methods> {
  const { site, store } = call
  const type = typeModel(site.model, link.to)
  const from = (await store.get(parent.name, key)) as Row
  const where = linkedTo(link, from)
  if (inner === undefined) {
    const read = where === undefined ? { GET: async () => json({ records: [] }) } : collection(call, type, where)
    const set = linkSet(link, from)
    return set === undefined ? read : { ...read, POST: () => create(call, type, set) }
  }
  const own = keyOf(type, inner)
  const nobody = () => denied(verdictOf(type, 'read', 'not found', own))
  if (where === undefined) throw nobody()
  const isIt = (record: unknown) => (record as { field(name: string): { is(value: unknown): Condition } }).field(type.key).is(own)
  const among = await store.count(type.name, { where: both(where, isIt) as never })
  if (among === 0) throw nobody()
  return single(call, type, own)
}
