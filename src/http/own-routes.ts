import type { PageRules } from '../client/rules.js'
import { isPachterError, type Row } from '../condition/index.js'
import type { InnerViewpoint } from '../viewpoint/index.js'
import { type Call, type Site, tagged } from './call.js'
import type { Sender } from './identity-types.js'
import { changeLists, severalLists } from './list-routes.js'
import { body, content, query } from './openapi-parts.js'
import { hiddenClaims, hiddenLinks } from './own-claims.js'
import { pageRules } from './page-rules.js'
import type { Route } from './route.js'
import { reasonsOn, verdictsOn } from './verdict-routes.js'

/** Routes about the asker only: their rules, verdicts that a page cannot work out, and live lists over one connection. */
export function ownRoutes(site: Site): Route[] {
  return [...(site.rulesAt === false ? [] : rulesRoutes(site, site.rulesAt)), ...(site.listsAt === false ? [] : listsRoutes(site.listsAt))]
}

function rulesRoutes({ showReasons }: Site, at: string): Route[] {
  const question = { type: 'object', required: ['action', 'type'], properties: { action: { type: 'string' }, type: { type: 'string' } } }
  const verdict = {
    type: 'object',
    required: ['allowed', 'outcome'],
    properties: { allowed: { type: 'boolean' }, outcome: { type: 'string' } },
  }
  const rules = {
    id: 'my_rules',
    summary: 'Get your own rules, for a page',
    responses: { 200: { description: 'The rules.', headers: { ETag: { schema: { type: 'string' } } }, ...content({ type: 'object' }) } },
    problems: [],
  }
  const verdicts = {
    id: 'my_verdicts',
    summary: 'Get verdicts that a page cannot work out; nothing is written',
    requestBody: body({
      type: 'object',
      required: ['questions'],
      properties: { questions: { type: 'array', maxItems: 100, items: question } },
    }),
    responses: {
      200: {
        description: 'A verdict for each question.',
        ...content({ type: 'object', properties: { verdicts: { type: 'array', items: verdict } } }),
      },
    },
    problems: [400, 413, 415],
  }
  const routes: Route[] = [
    { steps: [at], endpoints: { GET: { answer: ownRules, doc: rules } } },
    { steps: [at, 'verdicts'], endpoints: { POST: { answer: verdictsOn, doc: verdicts } } },
  ]
  // For developers only: what is not served is not in the document.
  return showReasons ? [...routes, { steps: [at, 'why'], endpoints: { POST: { answer: reasonsOn } } }] : routes
}

function listsRoutes(at: string): Route[] {
  const doc = {
    id: 'my_lists',
    summary: 'Subscribe to several live lists over one connection',
    parameters: [
      { ...query('list', 'The address of a list, below this one.', { type: 'array', items: { type: 'string' } }), required: true },
    ],
    responses: { 200: { description: 'Server-Sent Events.', ...content({ type: 'string' }, 'text/event-stream') } },
    problems: [400, 404, 406, 429],
  }
  const change = {
    id: 'change_my_lists',
    summary: 'Add lists to an open stream, and remove some',
    requestBody: body({
      type: 'object',
      properties: {
        add: { type: 'object', additionalProperties: { type: 'string' } },
        remove: { type: 'array', items: { type: 'integer' } },
      },
    }),
    responses: { 204: { description: 'Done. The stream sends the added lists.' } },
    problems: [400, 404, 413, 415],
  }
  return [
    { steps: [at], endpoints: { GET: { answer: severalLists, doc } } },
    { steps: [at, { param: 'rest' }], endpoints: { POST: { answer: (call, { rest }) => changeLists(call, rest), doc: change } } },
  ]
}

/** The names that are granted. Those that depend on other records are asked of the store. */
async function grantedOf(
  names: readonly string[],
  known: (name: string) => boolean,
  ask: (name: string) => Promise<boolean>,
): Promise<string[]> {
  const granted: string[] = []
  for (const name of names) {
    try {
      if (known(name)) granted.push(name)
    } catch (error) {
      if (!isPachterError(error, 'NO_LINKED_RECORDS')) throw error
      if (await ask(name)) granted.push(name)
    }
  }
  return granted
}

/** The actor as sent to a page, named as in RFC 8693, section 4.1. */
function actOf({ actor, people }: Sender): PageRules['act'] {
  if (actor === undefined && people === undefined) return undefined
  return {
    ...(actor === undefined ? {} : { sub: actor.key, readOnly: actor.readOnly }),
    ...(people === undefined ? {} : { people }),
  }
}

/** The page rules of the asker. */
async function ownRules({ site, store, request, sender }: Call): Promise<Response> {
  const view = (await store.viewpoint()) as unknown as InnerViewpoint
  const rules = pageRules(view, {
    types: [...site.types.values()].map(({ name }) => name),
    signIn: site.signIn,
    act: actOf(sender),
    isHidden: await hiddenClaims(store, view),
    withheld: await hiddenLinks(store, view),
    granted: {
      privileges: await grantedOf(Object.keys(view.model.privileges), view.has, store.has),
      routines: await grantedOf(Object.keys(view.model.routines), view.mayCall, store.mayCall),
    },
  }) as unknown as Row
  return tagged(request, rules)
}
