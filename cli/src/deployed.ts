import { existsSync, readFileSync } from 'node:fs'
import { isLocal } from 'pachter/internal/http'
import { type Deployed, type Expectation, type Finding, type Ground, judgeDeployed, type OwnAddress } from 'pachter/internal/review'
import { knownAction, nearest, typeModel } from 'pachter/internal/rulebook'
import { parse } from 'yaml'
import { UsageError } from './errors.js'
import { progress } from './output.js'

/** The options of `check` for a running application. */
export interface DeployedOptions {
  readonly url?: string
  readonly tokens?: string
  readonly mayWrite: readonly string[]
  readonly path: readonly string[]
  readonly handler: readonly string[]
}

/** The results of the expectations, and how many were really attempted. */
export interface DeployedFindings {
  readonly findings: readonly Finding[]
  readonly tried: number
  /** Expectations that hold according to the application's own verdicts. */
  readonly asked: number
  /** Skipped expectations, by reason. */
  readonly left: ReadonlyMap<string, number>
}

/** Judges expectations on a running application, and reports what was skipped and why. */
export async function judgeAllDeployed(
  ground: Ground,
  expectations: readonly Expectation[],
  options: DeployedOptions,
): Promise<DeployedFindings> {
  const site = siteOf(ground, options)
  const findings: Finding[] = []
  const left = new Map<string, number>()
  let asked = 0
  for (const [at, one] of expectations.entries()) {
    progress('expectations', at, expectations.length)
    const found = await judgeDeployed(site, one)
    if ('leftOut' in found) left.set(found.leftOut, (left.get(found.leftOut) ?? 0) + 1)
    else {
      findings.push(found)
      if (found.asked) asked += 1
    }
  }
  progress()
  return { findings, tried: findings.length - asked, asked, left }
}

/** The summary: what was attempted, only asked, and skipped. What was not attempted proves nothing. */
export function countsOf({ tried, asked, left }: DeployedFindings, mayWrite: readonly string[]): string[] {
  const lines = [`${tried} tried with real requests.`]
  if (tried === 0) lines[0] = 'No real request was tried, so this does not show what the application allows.'
  if (asked > 0)
    lines.push(
      `${asked} checked by the verdicts of the application only. ${mayWrite.length === 0 ? 'Use --may-write <type> to try them with real requests.' : 'Use --may-write for more types, to try them with real requests.'}`,
    )
  for (const [why, count] of left) lines.push(`${count} skipped: ${why}.`)
  return lines
}
function siteOf({ model, people, keys }: Ground, { url = '', tokens, mayWrite, path, handler }: DeployedOptions): Deployed {
  const address = URL.canParse(url) ? new URL(url) : undefined
  if (address === undefined || !/^https?:$/.test(address.protocol))
    throw new UsageError(`--url ${url}: needs an address, as in https://marshlane.example/api`)
  if (address.protocol === 'http:' && !isLocal(address.hostname))
    throw new UsageError(`--url ${url}: use https, so that others cannot read the tokens`)
  for (const type of mayWrite) typeModel(model, type)
  const paths = Object.fromEntries(
    path.map((pair) => {
      const [type = '', name = ''] = pair.split('=')
      if (name === '') throw new UsageError(`--path ${pair}: write it as in plot=plots`)
      typeModel(model, type)
      return [type, name]
    }),
  )
  return { model, url, people: readTokens(tokens, Object.keys(people)), mayWrite, paths, handlers: readHandlers(model, handler), keys }
}

const HANDLER = /^([A-Za-z_]\w*)\.([A-Za-z_]\w*)=(form +)?(GET|POST|PUT|PATCH|DELETE) +(\/\S*)$/

/** Endpoints of the application: `plot.update=POST /plots/{key}/planting`, or `plot.update=form POST ...`. */
function readHandlers(model: Ground['model'], given: readonly string[]): NonNullable<Deployed['handlers']> {
  const handlers: Record<string, Record<string, OwnAddress>> = {}
  for (const text of given) {
    const [, type, action, form, method, path] = HANDLER.exec(text) ?? []
    if (type === undefined || action === undefined || method === undefined || path === undefined)
      throw new UsageError(
        `--handler ${text}: write it as in "plot.update=POST /plots/{key}/planting", or "plot.update=form POST ..." for a form`,
      )
    const known = knownAction(typeModel(model, type), action)
    handlers[type] = { ...handlers[type], [known]: { method, path, as: form === undefined ? 'json' : 'form' } }
  }
  return handlers
}

/** The credentials of the people, from a file and from the environment. */
function readTokens(file: string | undefined, people: readonly string[]): Deployed['people'] {
  const found: Record<string, Readonly<Record<string, string>>> = {}
  for (const person of people) {
    const token = process.env[`PACHTER_TOKEN_${person.toUpperCase().replace(/[^A-Z0-9]/g, '_')}`]
    if (token !== undefined) found[person] = headersOf(person, token)
  }
  if (file !== undefined) {
    if (!existsSync(file)) throw new UsageError(`--tokens ${file}: the file does not exist`)
    let read: unknown
    try {
      read = parse(readFileSync(file, 'utf8'))
    } catch {
      // The original message might quote a token.
      throw new UsageError(`--tokens ${file}: is not valid YAML. Write a line for each person, as in ines: <token>`)
    }
    if (typeof read !== 'object' || read === null || Array.isArray(read))
      throw new UsageError(`--tokens ${file}: write a line for each person, as in ines: <token>`)
    for (const [person, value] of Object.entries(read)) {
      if (!people.includes(person)) {
        const near = nearest(person, people)
        throw new UsageError(
          `--tokens ${file}: there is no person ${JSON.stringify(person)}${near === undefined ? '' : `. Did you mean ${JSON.stringify(near)}?`}`,
        )
      }
      found[person] = headersOf(person, value)
    }
  }
  if (Object.keys(found).length === 0)
    throw new UsageError('check --url: give the credentials of the people, with --tokens <file> or PACHTER_TOKEN_INES and so on')
  return found
}

/** A bearer token, or any headers, such as a cookie. */
function headersOf(person: string, value: unknown): Readonly<Record<string, string>> {
  const headers = typeof value === 'string' ? { authorization: `Bearer ${value}` } : value
  if (typeof headers !== 'object' || headers === null || !Object.values(headers).every((one) => typeof one === 'string'))
    throw new UsageError(`the token of ${person} has to be a text, or headers as in { cookie: "sid=..." }`)
  return headers as Readonly<Record<string, string>>
}
