import { type Model, nearest, type TypeModel, typeModel } from '../rulebook/index.js'
import type { Site } from './call.js'
import { SetupError } from './error.js'
import type { RouteOptions } from './route-options.js'
import { inProduction } from './verdict-routes.js'

/** What is served where, by a rulebook: what the options say is checked against it. */
export type SiteOptions = Omit<RouteOptions, 'identity' | 'live' | 'visitor' | 'recheck'>

/** @throws SetupError, UnknownNameError */
export function siteOf(model: Model, { base = '/', types, paths = {}, actions = {}, files = {}, ...options }: SiteOptions): Site {
  if (!base.startsWith('/')) throw new SetupError('base', 'a path begins with /')
  const served = (types ?? Object.keys(model.types)).map((name) => typeModel(model, name))
  for (const name of Object.keys(paths)) typeModel(model, name)
  const named = served.map((type) => [(paths as Record<string, string>)[type.name] ?? type.name, type] as const)
  checkPaths(named.map(([path]) => path))
  for (const name of Object.keys(files))
    if (Object.hasOwn(typeModel(model, name).links, 'files')) throw new SetupError(`files.${name}`, 'there is a link of that name')
  for (const [type, mine] of Object.entries(actions)) checkActions(typeModel(model, type), Object.keys(mine ?? {}))
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

function checkPaths(paths: readonly string[]): void {
  for (const path of paths) {
    if (!/^[A-Za-z0-9._~-]+$/.test(path)) throw new SetupError('paths', `${JSON.stringify(path)} is no single step of an address`)
    if (paths.filter((other) => other === path).length > 1) throw new SetupError('paths', `two record types at ${path}`)
  }
}

function checkActions({ name, actions }: TypeModel, given: readonly string[]): void {
  const known = actions.slice(4)
  const odd = given.find((action) => !known.includes(action))
  if (odd === undefined) return
  const near = nearest(odd, known)
  const hint = near === undefined ? '' : `: is it meant to be ${near}?`
  throw new SetupError(`actions.${name}`, `${name} names no action ${JSON.stringify(odd)}${hint}`)
}
