import { PachterError, type Row } from '../../condition/index.js'
import { type Key, keyRow, type Model, type TypeModel } from '../../rulebook/index.js'
import type { Refusal } from './expectation.js'

/** An endpoint of the application that changes a record: `{key}` in it stands for the key. */
export interface OwnAddress {
  readonly method: string
  /** The path, such as `/plots/{key}/planting`. */
  readonly path: string
  /** How the fields are sent: as JSON or as an HTML form. */
  readonly as?: 'json' | 'form'
}

/** A running application with the routes of `pachter/http`. */
export interface Deployed {
  readonly model: Model
  /** The address of the routes. */
  readonly url: string
  /** The credentials of each person, as headers. A visitor needs none. People without credentials are not checked. */
  readonly people: { readonly [person: string]: Readonly<Record<string, string>> }
  /** Record types in which refused writes are really attempted. For others, the application is only asked. */
  readonly mayWrite: readonly string[]
  /** The path segments of record types, if they differ from their names. */
  readonly paths?: { readonly [type: string]: string }
  /** The application's own endpoints, by type and action. Writes are attempted there. */
  readonly handlers?: { readonly [type: string]: { readonly [action: string]: OwnAddress } }
  /** The existing keys, for expectations about "all". */
  readonly keys: (type: string) => readonly Key[]
  readonly fetch?: typeof fetch
}

/** The application's response. */
export interface Answer {
  readonly status: number
  readonly body: Row
}

/** The running application does not answer like these routes. Check the address, `--path` and `--handler`. */
export class DeployedError extends PachterError {
  constructor(message: string) {
    super('BAD_ANSWER', message)
  }
}

/** A response that no rule produces: it is neither a permission nor a refusal. */
export class OddAnswer extends Error {}

// A refusal counts only if it has the rules' own code: another guard, a proxy or a bug can refuse too.
const REFUSED_BY: { readonly [code: string]: { readonly status: number; readonly outcome: Refusal } } = {
  SIGN_IN: { status: 401, outcome: 'sign in' },
  NOT_FOUND: { status: 404, outcome: 'not found' },
  REFUSED: { status: 403, outcome: 'refused' },
  INVALID: { status: 422, outcome: 'invalid' },
}

/** The outcome of a response. @throws OddAnswer if it does not come from the rules */
export function outcomeOf({ status, body }: Answer, doing: string): 'allowed' | Refusal {
  if (status >= 200 && status < 300) return 'allowed'
  const code = String(body.code ?? '')
  const by = Object.hasOwn(REFUSED_BY, code) ? REFUSED_BY[code] : undefined
  if (by?.status === status) return by.outcome
  const said = [code, body.detail ?? body.title].filter(Boolean).join(': ')
  throw new OddAnswer(`${doing} is answered with ${status}${said === '' ? '' : ` (${said})`}, which is not a refusal by the rules`)
}

/** Sends a request as a person. A changing request states the application's own origin, as its pages do. */
export async function call(site: Deployed, person: string, method: string, path: string, body?: Row): Promise<Answer> {
  const kind = body === undefined ? {} : { 'content-type': method === 'PATCH' ? 'application/merge-patch+json' : 'application/json' }
  const sent = body === undefined ? {} : { body: JSON.stringify(body) }
  const { status, text } = await send(site, person, method, `${site.url.replace(/\/$/, '')}/${path}`, { headers: kind, ...sent })
  try {
    return { status, body: (text === '' ? {} : JSON.parse(text)) as Row }
  } catch {
    throw new DeployedError(`${method} ${path} is answered with ${status} and no JSON. Is ${site.url} the address of the routes?`)
  }
}

/** Calls an endpoint of the application. Its success response may be anything; a refusal has the rules' own code. */
export async function callHandler(
  site: Deployed,
  person: string,
  { method, path, as = 'json' }: OwnAddress,
  key: Key | undefined,
  body: Row,
): Promise<Answer> {
  const { origin } = new URL(site.url)
  const address = `${origin}${path.replaceAll('{key}', encodeURIComponent(String(key ?? '')))}`
  const bare = method === 'GET' || method === 'HEAD' || method === 'DELETE'
  const form = () => new URLSearchParams(Object.entries(body).map(([name, value]) => [name, String(value ?? '')])).toString()
  const sent = bare ? {} : { body: as === 'form' ? form() : JSON.stringify(body) }
  const type = as === 'form' ? 'application/x-www-form-urlencoded' : 'application/json'
  const { status, text } = await send(site, person, method, address, { headers: bare ? {} : { 'content-type': type }, ...sent })
  // A form often redirects, also to the sign-in page, and no code tells the two apart.
  if (status >= 300 && status < 400)
    return { status, body: { code: 'REDIRECT', detail: 'is answered with a redirect, which does not say whether it was done' } }
  try {
    return { status, body: JSON.parse(text) as Row }
  } catch {
    return { status, body: {} }
  }
}

async function send(
  site: Deployed,
  person: string,
  method: string,
  address: string,
  { headers, body }: { readonly headers: Readonly<Record<string, string>>; readonly body?: string },
): Promise<{ readonly status: number; readonly text: string }> {
  const { url, people, fetch: ask = globalThis.fetch } = site
  const own = method === 'GET' || method === 'HEAD' ? {} : { origin: new URL(url).origin }
  const init = {
    method,
    headers: { accept: 'application/json', ...own, ...people[person], ...headers },
    ...(body === undefined ? {} : { body }),
  }
  try {
    const response = await ask(address, { ...init, redirect: 'manual' })
    return { status: response.status, text: await response.text() }
  } catch (error) {
    const why = error instanceof Error ? ((error.cause as Error | undefined)?.message ?? error.message) : String(error)
    throw new DeployedError(`${url} cannot be reached: ${why}`)
  }
}

/** The URL of a record type or a record. */
export function pathOf({ paths }: Deployed, type: string, key?: Key): string {
  const path = (paths && Object.hasOwn(paths, type) ? paths[type] : undefined) ?? type
  return key === undefined ? path : `${path}/${encodeURIComponent(String(key))}`
}

/** A person's whole list, page by page; undefined if they must sign in first. */
export async function listed(site: Deployed, person: string, type: string, query: Readonly<Record<string, string>>): Promise<Row[]> {
  const rows: Row[] = []
  let after: string | undefined
  do {
    const params = new URLSearchParams({ ...query, ...(after === undefined ? {} : { after }) })
    const answer = await call(site, person, 'GET', `${pathOf(site, type)}?${params}`)
    const outcome = outcomeOf(answer, `the list of ${type}, asked for by ${person},`)
    if (outcome === 'sign in') return []
    const { records, next } = answer.body
    if (outcome !== 'allowed' || !Array.isArray(records))
      throw new OddAnswer(`the list of ${type}, asked for by ${person}, is answered with ${answer.status} and contains no records`)
    rows.push(...(records as Row[]))
    after = next as string | undefined
  } while (after !== undefined)
  return rows
}

/** The verdicts on a record, as the application states them. */
export type May = { readonly [action: string]: { readonly allowed: boolean; readonly fields?: readonly string[] } | undefined }

/** The verdicts on a record for a person, as the application states them; undefined if they do not see it. */
export async function mayOf(
  site: Deployed,
  person: string,
  type: TypeModel,
  key: Key,
  actions: readonly string[],
): Promise<May | undefined> {
  const [found] = await listed(site, person, type.name, {
    ...Object.fromEntries(Object.entries(keyRow(type, key)).map(([name, value]) => [`where.${name}`, String(value)])),
    may: actions.join(','),
  })
  return found?.may as May | undefined
}
