import { type Model, nearest, type TypeModel, typeModel, UnknownNameError } from '../rulebook/index.js'
import type { Site } from './call.js'
import { SetupError } from './error.js'
import type { RouteOptions } from './route-options.js'
import { inProduction } from './verdict-routes.js'

/** What a site serves, with its options checked against the rulebook. */
export type SiteOptions = Omit<RouteOptions, 'identity' | 'live' | 'visitor' | 'recheck'>

/** @throws SetupError, UnknownNameError */
export function siteOf(
  model: Model,
  { base = '/', types, paths = {}, actions = {}, files = {}, standings = {}, ...options }: SiteOptions,
): Site {
  if (!base.startsWith('/')) throw new SetupError('base', 'the path has to begin with /')
  const served = (types ?? Object.keys(model.types)).map((name) => typeModel(model, name))
  for (const name of Object.keys(paths)) typeModel(model, name)
  const named = served.map((type) => [(paths as Record<string, string>)[type.name] ?? type.name, type] as const)
  checkPaths(named.map(([path]) => path))
  for (const name of Object.keys(files))
    if (Object.hasOwn(typeModel(model, name).links, 'files')) throw new SetupError(`files.${name}`, 'a link has this name already')
  for (const [type, names = []] of Object.entries(standings as Site['standings']))
    for (const name of names) {
      const known = Object.keys(typeModel(model, type).standings)
      if (!known.includes(name)) throw new UnknownNameError('standing', name, known, `standings.${type}`)
    }
  for (const [type, mine] of Object.entries(actions)) checkActions(typeModel(model, type), Object.keys(mine ?? {}))
  const { rulesAt = 'my-rules', listsAt = 'my-lists', showReasons = false } = options
  if (showReasons && inProduction()) throw new SetupError('showReasons', 'is for development only: reasons are not shown in production')
  for (const [name, at] of Object.entries({ rulesAt, listsAt }))
    if (named.some(([path]) => path === at)) throw new SetupError(name, `a record type has the path ${at} already`)
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
    next: options.next as Site['next'],
    standings,
  }
}

function checkPaths(paths: readonly string[]): void {
  for (const path of paths) {
    if (!/^[A-Za-z0-9._~-]+$/.test(path)) throw new SetupError('paths', `${JSON.stringify(path)} has to be a single segment of a path`)
    if (paths.filter((other) => other === path).length > 1) throw new SetupError('paths', `two record types have the path ${path}`)
  }
}

function checkActions({ name, actions }: TypeModel, given: readonly string[]): void {
  const known = actions.slice(4)
  const odd = given.find((action) => !known.includes(action))
  if (odd === undefined) return
  const near = nearest(odd, known)
  const hint = near === undefined ? '' : `. Did you mean "${near}"?`
  throw new SetupError(`actions.${name}`, `${name} has no action ${JSON.stringify(odd)}${hint}`)
}
