import { type Key, keyFromText, type TypeModel } from '../rulebook/index.js'
import { actionRoutes } from './action-routes.js'
import type { Site } from './call.js'
import { fileRoutes } from './file-routes.js'
import { linkRoutes } from './link-routes.js'
import { ownRoutes } from './own-routes.js'
import { recordRoutes } from './record-routes.js'
import type { Params, Route, Step } from './route.js'

/** Every path of a site with its handlers: the one table for requests and for the OpenAPI document. */
export function routeTable(site: Site): readonly Route[] {
  const ofTypes = [...site.types].flatMap(([path, type]) => [
    ...recordRoutes(site, path, type),
    ...fileRoutes(site, path, type),
    ...actionRoutes(site, path, type),
    ...linkRoutes(site, path, type),
  ])
  return [...ownRoutes(site), ...ofTypes]
}

/** Finds the route of a path, with the keys in it. */
export function finder(site: Site): (steps: readonly string[]) => { readonly route: Route; readonly params: Params } | undefined {
  const byFirst = new Map<string, Route[]>()
  for (const route of routeTable(site)) {
    const first = route.steps[0] as string
    byFirst.set(first, [...(byFirst.get(first) ?? []), route])
  }
  return (steps) => {
    const type = site.types.get(steps[0] ?? '')
    for (const route of byFirst.get(steps[0] ?? '') ?? []) {
      const params = paramsOf(site, route.steps, steps, type)
      if (params !== undefined) return { route, params }
    }
    return undefined
  }
}

/** The values at the placeholders of a route; undefined if the path does not match. */
function paramsOf(site: Site, pattern: readonly Step[], steps: readonly string[], type: TypeModel | undefined): Params | undefined {
  const rest = typeof pattern.at(-1) === 'object' && (pattern.at(-1) as { param: string }).param === 'rest'
  if (rest ? steps.length < pattern.length : steps.length !== pattern.length) return undefined
  const params: { key: Key; inner: Key; rest: string } = { key: '', inner: '', rest: '' }
  for (const [at, step] of pattern.entries()) {
    const said = steps[at] as string
    if (typeof step === 'string') {
      if (step !== said) return undefined
    } else if (step.param === 'rest') params.rest = steps.slice(at).join('/')
    else if (step.param === 'key') params.key = keyAt(type, said)
    else params.inner = keyAt(linkedType(site, type, steps[at - 1] as string), said)
  }
  return params
}

function linkedType(site: Site, type: TypeModel | undefined, link: string): TypeModel | undefined {
  const to = type !== undefined && Object.hasOwn(type.links, link) ? type.links[link]?.to : undefined
  return to === undefined ? undefined : site.model.types[to]
}

function keyAt(type: TypeModel | undefined, text: string): Key {
  return type === undefined ? text : keyFromText(type, text)
}
