import { PachterError, type Row } from '../condition/index.js'
import { type Key, type Model, type TypeModel, typeModel } from '../rulebook/index.js'
import { type Expectation, expectationTitle, type Refusal } from './expectation.js'
import type { Finding } from './judge.js'

/** An application that is running, behind the routes of `pachter/http`. */
export interface Deployed {
  readonly model: Model
  /** The address that the routes are under. */
  readonly url: string
  /** How each person is let in, as headers; the visitor needs none. Who is not here, is not looked through. */
  readonly people: { readonly [person: string]: Readonly<Record<string, string>> }
  /** Record types in which refused writes may really be tried; of others it is asked what may be done. */
  readonly mayWrite: readonly string[]
  /** How addresses name record types, where otherwise than the rulebook does. */
  readonly paths?: { readonly [type: string]: string }
  /** The keys that there are, for expectations of "all". */
  readonly keys: (type: string) => readonly Key[]
  readonly fetch?: typeof fetch
}

/** How an expectation came out, or why it was left out. */
export type DeployedFinding = Finding | { readonly expectation: Expectation; readonly title: string; readonly leftOut: string }

interface Answer {
  readonly status: number
  readonly body: Row
}

const OUTCOMES: { readonly [status: number]: Refusal } = { 401: 'sign in', 404: 'not found', 403: 'refused', 422: 'invalid' }
/** The application answers in a way that these routes do not. */
export class DeployedError extends PachterError {
  constructor(message: string) {
    super('BAD_ANSWER', message)
  }
}

/**
 * Judges an expectation against a running application, as the person themselves. It only reads and asks, but for types that it is
 * told it may write: there, what is meant to be refused is really tried, and the record compared afterwards.
 *
 * @throws DeployedError where the application cannot be reached, or answers as these routes do not
 */
export async function judgeDeployed(site: Deployed, expectation: Expectation): Promise<DeployedFinding> {
  const title = expectationTitle(expectation)
  const leftOut = reasonToLeaveOut(site, expectation)
  if (leftOut !== undefined) return Object.freeze({ expectation, title, leftOut })
  try {
    const problems = await problemsOf(site, expectation)
    return Object.freeze({ expectation, title, held: problems.length === 0, problems: Object.freeze(problems) })
  } catch (error) {
    if (error instanceof OnlyTrying) return Object.freeze({ expectation, title, leftOut: error.message })
    throw error
  }
}

/** Nothing but a write would tell, and that was not permitted. */
class OnlyTrying extends Error {}

function reasonToLeaveOut({ people, mayWrite }: Deployed, one: Expectation): string | undefined {
  if (one.person !== 'visitor' && people[one.person] === undefined) return 'there is no token of this person'
  if (one.at !== undefined) return 'it is of another instant'
  if (one.kind !== 'try') return undefined
  if (one.within !== undefined) return 'routines are called by the application alone'
  if (one.action === 'create' && (one.allowed || !mayWrite.includes(one.type))) return 'it would write'
  return undefined
}

async function call(site: Deployed, person: string, method: string, path: string, body?: Row): Promise<Answer> {
  const { url, people, fetch: ask = globalThis.fetch } = site
  const kind = body === undefined ? {} : { 'content-type': method === 'PATCH' ? 'application/merge-patch+json' : 'application/json' }
  const init = {
    method,
    headers: { accept: 'application/json', ...people[person], ...kind },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  }
  let response: Response
  try {
    response = await ask(`${url.replace(/\/$/, '')}/${path}`, { ...init, redirect: 'manual' })
  } catch (error) {
    throw new DeployedError(
      `${url} cannot be reached: ${error instanceof Error ? ((error.cause as Error | undefined)?.message ?? error.message) : error}`,
    )
  }
  const text = await response.text()
  try {
    return { status: response.status, body: (text === '' ? {} : JSON.parse(text)) as Row }
  } catch {
    throw new DeployedError(`${method} ${path} is answered with ${response.status} and no JSON: is ${url} where the routes are?`)
  }
}

function pathOf({ paths }: Deployed, type: string, key?: Key): string {
  const path = (paths && Object.hasOwn(paths, type) ? paths[type] : undefined) ?? type
  return key === undefined ? path : `${path}/${encodeURIComponent(String(key))}`
}

/** A person's list, page after page; nothing where they have to sign in for any of it. */
async function listed(site: Deployed, person: string, type: string, query: Readonly<Record<string, string>>): Promise<Row[]> {
  const rows: Row[] = []
  let after: string | undefined
  do {
    const params = new URLSearchParams({ ...query, ...(after === undefined ? {} : { after }) })
    const { status, body } = await call(site, person, 'GET', `${pathOf(site, type)}?${params}`)
    if (status === 401) return []
    if (status !== 200 || !Array.isArray(body.records))
      throw new DeployedError(`the list of ${type} is answered to ${person} with ${status}: ${body.detail ?? body.title ?? 'no list'}`)
    rows.push(...(body.records as Row[]))
    after = body.next as string | undefined
  } while (after !== undefined)
  return rows
}

type May = { readonly [action: string]: { readonly allowed: boolean; readonly fields?: readonly string[] } | undefined }

/** What a person may do to a record, by the application's own word; undefined where they do not see it. */
async function mayOf(site: Deployed, person: string, type: TypeModel, key: Key, actions: readonly string[]): Promise<May | undefined> {
  const [found] = await listed(site, person, type.name, { [`where.${type.key}`]: String(key), may: actions.join(',') })
  return found?.may as May | undefined
}

async function problemsOf(site: Deployed, one: Expectation): Promise<string[]> {
  const { person } = one
  if ('name' in one) {
    const { status, body } = await call(site, person, 'GET', 'my-rules')
    if (status !== 200) throw new DeployedError(`my-rules is answered to ${person} with ${status}`)
    const has = ((one.kind === 'privilege' ? body.privileges : body.routines) as string[]).includes(one.name)
    return has === one.has ? [] : [has ? 'has it' : 'does not have it']
  }
  const type = typeModel(site.model, one.type)
  switch (one.kind) {
    case 'reach': {
      const { action, extent } = one
      const rows = await listed(site, person, type.name, action === 'read' ? { fields: type.key } : { may: action, fields: type.key })
      const found = new Set(
        action === 'read'
          ? rows.map((row) => row[type.key] as Key)
          : rows.flatMap(({ record, may }) => ((may as May)[action]?.allowed ? [(record as Row)[type.key] as Key] : [])),
      )
      const said = new Set(one.keys === 'all' ? site.keys(type.name) : one.keys)
      const missing = extent === 'none' ? [] : [...said].filter((key) => !found.has(key))
      const surplus = extent === 'at least' ? [] : [...found].filter((key) => said.has(key) === (extent === 'none'))
      const opened: Key[] = []
      if (extent === 'none' && action === 'read')
        for (const key of said)
          if (!found.has(key) && (await call(site, person, 'GET', pathOf(site, type.name, key))).status === 200) opened.push(key)
      return [
        ...(missing.length > 0 ? [`missing: ${missing.join(', ')}`] : []),
        ...(surplus.length > 0 ? [`too many: ${surplus.join(', ')}`] : []),
        ...(opened.length > 0 ? [`not in the list, and yet given by its key: ${opened.join(', ')}`] : []),
      ]
    }
    case 'fields': {
      const others = Object.keys(type.fields).filter((name) => name !== type.key)
      const said = one.fields === 'all' ? others : one.fields
      const { has, left } = one.action === 'read' ? await seen(site, person, type, one.key) : await changed(site, person, type, one.key)
      const missing = one.extent === 'none' ? [] : said.filter((name) => !has.includes(name) && !left.includes(name))
      const surplus = one.extent === 'at least' ? [] : has.filter((name) => said.includes(name) === (one.extent === 'none'))
      const verb = one.action === 'read' ? 'sees' : 'changes'
      return [
        ...(missing.length > 0 ? [`hidden or fixed: ${missing.join(', ')}`] : []),
        ...(surplus.length > 0 ? [`${verb} too much: ${surplus.join(', ')}`] : []),
      ]
    }
    case 'access': {
      const actions = type.actions.filter((action) => action !== 'create')
      const may = await mayOf(site, person, type, one.key, actions)
      return actions.flatMap((action) => {
        const allowed = action === 'read' ? may !== undefined : may?.[action]?.allowed === true
        return allowed === one.actions.includes(action) ? [] : [`${allowed ? 'may, and should not' : 'should, and may not'}: ${action}`]
      })
    }
    case 'try':
      return attempted(site, type, one)
  }
}

/** The fields that somebody is given of a record; and those that may be left out for having no value. */
async function seen(site: Deployed, person: string, type: TypeModel, key: Key) {
  const { status, body } = await call(site, person, 'GET', pathOf(site, type.name, key))
  if (status !== 200) return { has: [], left: [] }
  const left = Object.entries(type.fields).flatMap(([name, { optional, nullable }]) => (optional && !nullable ? [name] : []))
  return { has: Object.keys(body).filter((name) => name !== type.key), left }
}

async function changed(site: Deployed, person: string, type: TypeModel, key: Key) {
  const may = await mayOf(site, person, type, key, ['update'])
  const all = Object.keys(type.fields).filter((name) => name !== type.key)
  return { has: may?.update?.allowed ? [...(may.update.fields ?? all)] : [], left: [] as string[] }
}

async function attempted(site: Deployed, type: TypeModel, one: Expectation & { readonly kind: 'try' }): Promise<string[]> {
  const { person, action, key, sending, allowed } = one
  const path = pathOf(site, type.name, key)
  const own = !['read', 'create', 'update', 'delete'].includes(action)
  if (action === 'read' || own) {
    const { status, body } = await call(site, person, 'GET', own ? `${path}/${encodeURIComponent(action)}` : path)
    const outcome = status !== 200 ? (OUTCOMES[status] ?? `answered with ${status}`) : own && body.allowed !== true ? 'refused' : 'allowed'
    return compared(one, outcome, (status === 200 ? body.saying : body.detail) as string | undefined)
  }
  if (allowed || !site.mayWrite.includes(type.name)) {
    // Asked, and not tried: what the application itself says may be done.
    const permitted = (await mayOf(site, person, type, key as Key, [action]))?.[action]
    const within = Object.keys(sending ?? {}).every((name) => permitted?.fields === undefined || permitted.fields.includes(name))
    const may = permitted?.allowed === true && within
    if (allowed) return may ? [] : ['it is not allowed, by what the application says may be done']
    if (!may) return []
    // An update may be refused for what becomes of the record.
    if (action === 'update' && sending !== undefined) throw new OnlyTrying('only trying would tell, which would write')
    return ['it is allowed, by what the application says may be done']
  }
  const before = await lookedAt(site, type, key)
  const body = action === 'delete' ? undefined : ((sending ?? {}) as Row)
  const answer = await call(site, person, { create: 'POST', update: 'PATCH', delete: 'DELETE' }[action as 'update'], path, body)
  const outcome = answer.status < 300 ? 'allowed' : (OUTCOMES[answer.status] ?? `answered with ${answer.status}`)
  const trace = (await lookedAt(site, type, key)) === before ? [] : ['the record is not what it was']
  return [...compared(one, outcome, answer.body.detail as string | undefined), ...trace]
}

function compared({ allowed, as, saying }: Expectation & { readonly kind: 'try' }, outcome: string, said: string | undefined): string[] {
  if (allowed) return outcome === 'allowed' ? [] : [`${outcome}: ${said ?? ''}`]
  if (outcome === 'allowed') return ['it was allowed']
  const otherwise = as === undefined ? !['sign in', 'not found', 'refused'].includes(outcome) : outcome !== as
  return [
    ...(otherwise ? [`it is ${outcome}${as === undefined ? '' : `, not ${as}`}: ${said ?? ''}`] : []),
    ...(saying !== undefined && saying !== said ? [`it says: ${said ?? 'nothing'}`] : []),
  ]
}

/** A record through the eyes of whoever sees it. */
async function lookedAt(site: Deployed, type: TypeModel, key: Key | undefined): Promise<string> {
  const seenBy: string[] = []
  for (const person of ['visitor', ...Object.keys(site.people)]) {
    if (key === undefined) return ''
    const { status, body } = await call(site, person, 'GET', pathOf(site, type.name, key))
    seenBy.push(status === 200 ? JSON.stringify(body) : '')
  }
  return seenBy.join('\n')
}
