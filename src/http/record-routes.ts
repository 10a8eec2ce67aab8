// The records of a type: lists, single records and bulk changes.
import type { Row } from '../condition/index.js'
import { type Condition, type Key, keyOf, sameValue, type TypeModel } from '../rulebook/index.js'
import { InvalidError } from '../store/errors.js'
import { matching } from '../store/guarded-store.js'
import type { GuardedStore } from '../store/index.js'
import { reachesInto } from '../store/write/nested.js'
import type { UpdateOptions } from '../store/write/update.js'
import { asShaped, readBody } from './body.js'
import { type Call, changed, json, type Site, tagged } from './call.js'
import { RequestError } from './error.js'
import { checkMatch, etagOf } from './etag.js'
import { list } from './list-routes.js'
import {
  body,
  content,
  ETAG,
  keySchema,
  lets,
  listDoc,
  MERGE_PATCH,
  type OperationDoc,
  PATCHES,
  query,
  ref,
  WHERE,
  who,
} from './openapi-parts.js'
import { flag, whereOf } from './query.js'
import type { Endpoint, Route, Step } from './route.js'

/** The paths of a record type: the collection and a single record. */
export function recordRoutes(site: Site, path: string, type: TypeModel): Route[] {
  return [
    {
      steps: [path],
      endpoints: {
        GET: { answer: (call) => list(call, type), doc: lets(type, 'read') ? listOf(site, type) : undefined },
        POST: { answer: (call) => create(call, type), doc: createDoc(type) },
        PATCH: { answer: (call) => updateMany(call, type), doc: severalDoc(type, 'update') },
        DELETE: { answer: (call) => deleteMany(call, type), doc: severalDoc(type, 'delete') },
      },
    },
    singleRoute(site, [path, { param: 'key' }], type, (_call, { key }) => Promise.resolve(key)),
  ]
}

function listOf(site: Site, type: TypeModel): OperationDoc {
  return { id: `list_${type.name}`, tag: type.name, summary: `List ${type.name} records`, ...listDoc(type, site) }
}

/** The documentation of creating a record, also below another record. */
export function createDoc(type: TypeModel): OperationDoc | undefined {
  if (!lets(type, 'create')) return undefined
  const { name } = type
  return {
    id: `create_${name}`,
    tag: name,
    summary: `Create a ${name}`,
    description: who(type, 'create'),
    requestBody: body(ref(`${name}New`)),
    responses: { 201: { description: 'Created.', ...ETAG, ...content(ref(name)) } },
    problems: [400, 403, 413, 415, 422],
  }
}

function severalDoc(type: TypeModel, action: 'update' | 'delete'): OperationDoc | undefined {
  if (!lets(type, action)) return undefined
  const { name } = type
  const done = {
    type: 'object',
    required: ['done', 'refused'],
    properties: { done: { type: 'array', items: keySchema(type) }, refused: { type: 'array', items: { type: 'object' } } },
  }
  return {
    id: `${action}_several_${name}`,
    tag: name,
    summary: `${action === 'update' ? 'Update' : 'Delete'} several ${name} records`,
    description: who(type, action),
    parameters: [
      WHERE,
      query('all', 'Required without a filter: every record that you may see.', { type: 'boolean' }),
      query('partial', 'Changes the records that may be changed, instead of all or none.', { type: 'boolean' }),
    ],
    ...(action === 'update' ? { requestBody: body(ref(`${name}Patch`), MERGE_PATCH) } : {}),
    responses: { 200: { description: 'What was done, and what was refused.', ...content(done) } },
    problems: action === 'update' ? [400, 409, 413, 415, 422] : [400, 409],
  }
}

/** Creates a record. Below another record, it is linked to that one; a link in the body must lead there too. */
export async function create(call: Call, type: TypeModel, link: Row = {}): Promise<Response> {
  const { site, store, request } = call
  const given = asShaped(type, await readBody(request, ['application/json'], site.bodyLimit))
  const odd = Object.keys(link).find((name) => given[name] !== undefined && !sameValue(type.fields[name], given[name], link[name]))
  if (odd !== undefined)
    throw new InvalidError(type.name, [{ field: odd, problem: 'names another record than this address: leave it out' }])
  const record = (await store.create(type.name, { ...given, ...link })) as Row
  const key = keyOf(type, record)
  const location = `${site.base}/${site.pathOf(type.name)}/${encodeURIComponent(String(key))}`
  const answer = json(record, { status: 201, headers: { location, etag: await etagOf(record) } })
  return changed(call, 'create', { type: type.name, key }, answer)
}

/** The key of the record that a path leads to. */
type KeyAt = (...at: Parameters<Endpoint['answer']>) => Promise<Key>

/** One record, by its own path or below another record that leads to it. */
export function singleRoute(site: Site, steps: readonly Step[], type: TypeModel, keyAt: KeyAt, within = ''): Route {
  const doc = (action: 'read' | 'update' | 'delete', more: Omit<OperationDoc, 'id' | 'tag' | 'description'>): OperationDoc | undefined =>
    lets(type, action)
      ? { id: `${action === 'read' ? 'get' : action}_${type.name}${within}`, tag: type.name, description: who(type, action), ...more }
      : undefined
  const ifMatch = {
    name: 'If-Match',
    in: 'header',
    required: site.matchRequired,
    description: 'The ETag of the record as you loaded it.',
    schema: { type: 'string' },
  }
  const states = site.matchRequired ? [412, 428] : [412]
  return {
    steps,
    endpoints: {
      GET: {
        answer: async (call, at) => get(call, type, await keyAt(call, at)),
        doc: doc('read', {
          summary: `Get a ${type.name}`,
          responses: { 200: { description: 'The record, with the fields that the asker may see.', ...ETAG, ...content(ref(type.name)) } },
          problems: [400, 404],
        }),
      },
      PATCH: {
        answer: async (call, at) => update(call, type, await keyAt(call, at)),
        doc: doc('update', {
          summary: `Update a ${type.name}`,
          parameters: [ifMatch],
          requestBody: body(ref(`${type.name}Patch`), MERGE_PATCH),
          responses: { 200: { description: 'Updated.', ...ETAG, ...content(ref(type.name)) } },
          problems: [400, 403, 404, ...states, 413, 415, 422],
        }),
      },
      DELETE: {
        answer: async (call, at) => remove(call, type, await keyAt(call, at)),
        doc: doc('delete', {
          summary: `Delete a ${type.name}`,
          parameters: [ifMatch],
          responses: { 204: { description: 'Removed.' } },
          problems: [400, 403, 404, ...states],
        }),
      },
    },
  }
}

async function get(call: Call, type: TypeModel, key: Key): Promise<Response> {
  noParameters(call)
  return tagged(call.request, (await call.store.get(type.name, key)) as Row)
}

async function update(call: Call, type: TypeModel, key: Key): Promise<Response> {
  const { request, site, store } = call
  noParameters(call)
  const match = stateSeen(call)
  const patch = asShaped(type, await readBody(request, PATCHES, site.bodyLimit))
  await checkSeen(store, 'update', type, key)
  const record = await matching(store).update(type.name, key, patch, { match, merge: true })
  return changed(call, 'update', { type: type.name, key }, json(record, { headers: { etag: await etagOf(record) } }))
}

async function remove(call: Call, type: TypeModel, key: Key): Promise<Response> {
  noParameters(call)
  const match = stateSeen(call)
  await checkSeen(call.store, 'delete', type, key)
  await matching(call.store).delete(type.name, key, { match })
  return changed(call, 'delete', { type: type.name, key }, new Response(null, { status: 204 }))
}

function noParameters({ params }: Call): void {
  for (const name of params.keys()) throw new RequestError(400, `${name}: this address takes no parameters`)
}

/** The version that the asker means, from `If-Match`. @throws RequestError 428 */
function stateSeen({ request, site }: Call): UpdateOptions['match'] {
  const header = request.headers.get('if-match')
  if (header === null && site.matchRequired) throw new RequestError(428, 'Send If-Match with the ETag of the record as you loaded it.')
  return header === null ? undefined : (shown) => checkMatch(header, shown)
}

/**
 * Refuses an asker who does not see a record, before it is locked and judged. The same queries run if the record does not exist, so that
 * the time reveals nothing.
 */
async function checkSeen(store: GuardedStore, action: 'update' | 'delete', type: TypeModel, key: Key): Promise<void> {
  if ((await store.verdict('read', type.name, key)).allowed) return
  await matching(store).assertMay(action, type.name, key)
}

/** The records of a bulk change: those that match the filters, or explicitly all. */
function meant({ params }: Call, type: TypeModel): { readonly which: object; readonly partial: boolean } {
  for (const name of params.keys())
    if (!name.startsWith('where.') && !['partial', 'all'].includes(name))
      throw new RequestError(400, `${name}: a bulk change takes where, all and partial`)
  const where = whereOf(type, params)
  if ((where === undefined) === !flag(params, 'all'))
    throw new RequestError(
      400,
      'Say which records to change: with filters, as in where.state=let, or with all=true for every record that you may see.',
    )
  return { which: { where: where ?? everyOne(type) }, partial: flag(params, 'partial') }
}

function everyOne({ keys }: TypeModel): (record: unknown) => Condition {
  return (record) => (record as { field(name: string): { isPresent(): Condition } }).field(keys[0] as string).isPresent()
}

async function updateMany(call: Call, type: TypeModel): Promise<Response> {
  const { which, partial } = meant(call, type)
  const patch = asShaped(type, await readBody(call.request, PATCHES, call.site.bodyLimit))
  if (reachesInto(type, patch)) throw new RequestError(400, 'A bulk change sets whole fields, not parts of them.')
  return json(await call.store.updateMany(type.name, which as never, patch as never, { partial }))
}

async function deleteMany(call: Call, type: TypeModel): Promise<Response> {
  const { which, partial } = meant(call, type)
  return json(await call.store.deleteMany(type.name, which as never, { partial }))
}
