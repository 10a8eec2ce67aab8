import type { Row } from '../condition/index.js'
import { type Key, type LinkModel, type TypeModel, toCondition, typeModel } from '../rulebook/index.js'
import { denied } from '../store/errors.js'
import { keyIs } from '../store/read/key-conditions.js'
import { verdictOf } from '../viewpoint/index.js'
import { type Call, json, type Site } from './call.js'
import { RequestError } from './error.js'
import { linkedTo, linkSet } from './linked.js'
import { both, list } from './list-routes.js'
import { lets, listDoc, type OperationDoc } from './openapi-parts.js'
import { create, createDoc, singleRoute } from './record-routes.js'
import type { Route } from './route.js'

/** The records linked to a record: a list, a way to add to it if the link is stored in the linked records, and each linked record. */
export function linkRoutes(site: Site, path: string, type: TypeModel): Route[] {
  const links = Object.values(type.links).filter(({ to }) => site.pathOf(to) !== undefined)
  return links.flatMap((link): Route[] => {
    const to = typeModel(site.model, link.to)
    const within = `_of_${type.name}_by_${link.name}`
    const listing: OperationDoc = {
      id: `list_${link.name}_of_${type.name}`,
      tag: type.name,
      summary: `The ${link.name} of a ${type.name}`,
      ...listDoc(to, site),
    }
    const made = createDoc(to)
    const creating = made && {
      ...made,
      id: `create_${link.name}_of_${type.name}`,
      tag: type.name,
      summary: `Create a ${to.name} that is linked to a ${type.name}`,
      problems: [...made.problems, 404],
    }
    return [
      {
        steps: [path, { param: 'key' }, link.name],
        endpoints: {
          GET: { answer: (call, { key }) => linkedList(call, type, key, link), doc: lets(to, 'read') ? listing : undefined },
          ...(isSetFromThere(link) ? { POST: { answer: (call, { key }) => add(call, type, key, link), doc: creating } } : {}),
        },
      },
      singleRoute(site, [path, { param: 'key' }, link.name, { param: 'inner' }], to, (call, at) => linkedKey(call, type, link, at), within),
    ]
  })
}

/** Whether a record can be linked by adding it at this path. */
function isSetFromThere({ many, by }: LinkModel): boolean {
  return many === true && !by.some(({ to, from }) => to.list || from.list)
}

/** The record that a path names, as the asker sees it. @throws DeniedError */
async function start({ store }: Call, type: TypeModel, key: Key): Promise<Row> {
  return (await store.get(type.name, key)) as Row
}

async function linkedList(call: Call, type: TypeModel, key: Key, link: LinkModel): Promise<Response> {
  const where = linkedTo(link, await start(call, type, key))
  return where === undefined ? json({ records: [] }) : list(call, typeModel(call.site.model, link.to), where)
}

async function add(call: Call, type: TypeModel, key: Key, link: LinkModel): Promise<Response> {
  const set = linkSet(link, await start(call, type, key))
  if (set === undefined)
    throw new RequestError(405, 'Nothing can be added here, because a field that the link joins on is missing.', {
      allow: 'GET, HEAD, OPTIONS',
    })
  return create(call, typeModel(call.site.model, link.to), set)
}

/** The key of a linked record, if the link leads to it from there. @throws DeniedError */
async function linkedKey(
  call: Call,
  type: TypeModel,
  link: LinkModel,
  { key, inner }: { readonly key: Key; readonly inner: Key },
): Promise<Key> {
  const to = typeModel(call.site.model, link.to)
  const where = linkedTo(link, await start(call, type, key))
  const isIt = () => toCondition(keyIs(to, inner))
  const among = where === undefined ? 0 : await call.store.count(to.name, { where: both(where, isIt) as never })
  if (among === 0) throw denied(verdictOf(to, 'read', 'not found', inner))
  return inner
}
