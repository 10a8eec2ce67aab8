import type { Row } from '../condition/index.js'
import type { Key, TypeModel } from '../rulebook/index.js'
import { denied } from '../store/errors.js'
import { matching } from '../store/guarded-store.js'
import type { GuardedStore } from '../store/index.js'
import type { Verdict } from '../viewpoint/index.js'
import { type Call, changed, json, type Site } from './call.js'
import { content, type OperationDoc, who } from './openapi-parts.js'
import type { Route } from './route.js'

type Handler = NonNullable<NonNullable<Site['actions'][string]>[string]>

const ANSWER = { type: 'object', required: ['allowed'], properties: { allowed: { type: 'boolean' }, message: { type: 'string' } } }

/** A named action of a type: `GET` asks whether it is allowed, `POST` runs the handler that the application defines. */
export function actionRoutes(site: Site, path: string, type: TypeModel): Route[] {
  return type.actions.slice(4).map((name): Route => {
    const handler = site.actions[type.name]?.[name]
    const about = { tag: type.name, description: who(type, name) }
    const asking: OperationDoc = {
      id: `may_${name}_${type.name}`,
      summary: `Check whether you may ${name} a ${type.name}`,
      ...about,
      responses: { 200: { description: 'The answer.', ...content(ANSWER) } },
      problems: [404],
    }
    const doing: OperationDoc = {
      id: `${name}_${type.name}`,
      summary: `${name} a ${type.name}`,
      ...about,
      responses: { 200: { description: 'Done.', ...content({ type: 'object' }) }, 204: { description: 'Done.' } },
      problems: [403, 404, 409, 422],
    }
    return {
      steps: [path, { param: 'key' }, name],
      endpoints: {
        GET: { answer: (call, { key }) => ask(call, type, key, name), doc: asking },
        ...(handler === undefined ? {} : { POST: { answer: (call, { key }) => act(call, type, key, name, handler), doc: doing } }),
      },
    }
  })
}

async function ask({ store }: Call, type: TypeModel, key: Key, name: string): Promise<Response> {
  const { allowed, message } = await judged(store, type, key, name)
  return json({ allowed, ...(message === undefined ? {} : { message }) })
}

async function act(call: Call, type: TypeModel, key: Key, name: string, handler: Handler): Promise<Response> {
  const { store, request } = call
  const record = await store.transaction(async (inside, asSystem) => {
    await matching(inside).assertMay(name, type.name, key)
    return handler({ request, store: inside, record: (await inside.get(type.name, key)) as Row, asSystem })
  })
  return changed(call, name, { type: type.name, key }, record === undefined ? new Response(null, { status: 204 }) : json(record))
}

/** The verdict, if the asker may know of the record. @throws DeniedError */
async function judged(store: GuardedStore, type: TypeModel, key: Key, name: string): Promise<Verdict> {
  const verdict = await store.verdict(name, type.name, key)
  if (!verdict.allowed && verdict.outcome !== 'refused') throw denied(verdict)
  return verdict
}
