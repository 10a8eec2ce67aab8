import { existsSync, readFileSync } from 'node:fs'
import { parse } from 'yaml'
import { isLocal } from '../http/token.js'
import { type Deployed, type Expectation, type Finding, type Ground, judgeDeployed } from '../review/index.js'
import { nearest, typeModel } from '../rulebook/index.js'
import { UsageError } from './errors.js'
import { progress } from './output.js'

/** Options of `check` for an application that is running. */
export interface DeployedOptions {
  readonly url?: string
  readonly tokens?: string
  readonly mayWrite: readonly string[]
  readonly path: readonly string[]
}

/** Judges expectations against a running application. Says what was left out, and why. */
export async function judgeAllDeployed(ground: Ground, expectations: readonly Expectation[], options: DeployedOptions): Promise<Finding[]> {
  const site = siteOf(ground, options)
  const findings: Finding[] = []
  const left = new Map<string, number>()
  for (const [at, one] of expectations.entries()) {
    progress(at, expectations.length)
    const found = await judgeDeployed(site, one)
    if ('leftOut' in found) left.set(found.leftOut, (left.get(found.leftOut) ?? 0) + 1)
    else findings.push(found)
  }
  progress()
  // Beside the findings, which may be data.
  for (const [why, count] of left)
    process.stderr.write(
      `left out: ${count}, since ${why}${/write/.test(why) ? ' (--may-write <type> permits what is meant to be refused)' : ''}\n`,
    )
  return findings
}

function siteOf({ model, people, keys }: Ground, { url = '', tokens, mayWrite, path }: DeployedOptions): Deployed {
  const address = URL.canParse(url) ? new URL(url) : undefined
  if (address === undefined || !/^https?:$/.test(address.protocol))
    throw new UsageError(`--url ${url}: an address is needed, as in https://marshlane.example/api`)
  if (address.protocol === 'http:' && !isLocal(address.hostname))
    throw new UsageError(`--url ${url}: tokens are not sent in the clear: use https`)
  for (const type of mayWrite) typeModel(model, type)
  const paths = Object.fromEntries(
    path.map((pair) => {
      const [type = '', name = ''] = pair.split('=')
      if (name === '') throw new UsageError(`--path ${pair}: as in plot=plots`)
      typeModel(model, type)
      return [type, name]
    }),
  )
  return { model, url, people: readTokens(tokens, Object.keys(people)), mayWrite, paths, keys }
}

/** How people are let in: from a file, and from the environment. */
function readTokens(file: string | undefined, people: readonly string[]): Deployed['people'] {
  const found: Record<string, Readonly<Record<string, string>>> = {}
  for (const person of people) {
    const token = process.env[`PACHTER_TOKEN_${person.toUpperCase().replace(/[^A-Z0-9]/g, '_')}`]
    if (token !== undefined) found[person] = headersOf(person, token)
  }
  if (file !== undefined) {
    if (!existsSync(file)) throw new UsageError(`--tokens ${file}: there is no such file`)
    let read: unknown
    try {
      read = parse(readFileSync(file, 'utf8'))
    } catch {
      // What is wrong in it might quote a token.
      throw new UsageError(`--tokens ${file}: is no YAML: a line for each person, as in ines: <token>`)
    }
    if (typeof read !== 'object' || read === null || Array.isArray(read))
      throw new UsageError(`--tokens ${file}: a line for each person, as in ines: <token>`)
    for (const [person, value] of Object.entries(read)) {
      if (!people.includes(person)) {
        const near = nearest(person, people)
        throw new UsageError(
          `--tokens ${file}: there is no person ${JSON.stringify(person)}${near === undefined ? '' : `; did you mean ${JSON.stringify(near)}?`}`,
        )
      }
      found[person] = headersOf(person, value)
    }
  }
  if (Object.keys(found).length === 0)
    throw new UsageError('check --url: whose eyes are to be looked through? Give --tokens <file>, or PACHTER_TOKEN_INES and the like')
  return found
}

/** A bearer token, or headers of any kind: a cookie, say. */
function headersOf(person: string, value: unknown): Readonly<Record<string, string>> {
  const headers = typeof value === 'string' ? { authorization: `Bearer ${value}` } : value
  if (typeof headers !== 'object' || headers === null || !Object.values(headers).every((one) => typeof one === 'string'))
    throw new UsageError(`the token of ${person} is a text, or headers as in { cookie: "sid=..." }`)
  return headers as Readonly<Record<string, string>>
}
