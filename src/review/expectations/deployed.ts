import type { Row } from '../../condition/index.js'
import { isKeyField, type Key, keyOf, type TypeModel, typeModel } from '../../rulebook/index.js'
import { type Answer, call, callHandler, type Deployed, listed, type May, mayOf, OddAnswer, outcomeOf, pathOf } from './deployed-calls.js'
import { type Expectation, expectationTitle, type PrivilegeExpectation, type TryExpectation } from './expectation.js'
import type { Finding } from './judge.js'

/** The result of an expectation, or why it was skipped. `asked` means that the application was only asked, and nothing was attempted. */
export type DeployedFinding =
  | (Finding & { readonly asked?: true })
  | { readonly expectation: Expectation; readonly title: string; readonly leftOut: string }

/**
 * Judges an expectation on a running application, signed in as the person. It only reads and asks, except for types where writes are
 * permitted: there, writes that should be refused are really attempted, and the record is compared afterwards.
 * @throws DeployedError if the application cannot be reached, or does not answer like these routes
 */
export async function judgeDeployed(site: Deployed, expectation: Expectation): Promise<DeployedFinding> {
  const title = expectationTitle(expectation)
  const leftOut = reasonToLeaveOut(site, expectation)
  if (leftOut !== undefined) return Object.freeze({ expectation, title, leftOut })
  const found = (problems: readonly string[]) =>
    Object.freeze({
      expectation,
      title,
      held: problems.length === 0,
      problems: Object.freeze(problems),
      ...(isTried(site, expectation) ? {} : { asked: true as const }),
    })
  try {
    return found(await problemsOf(site, expectation))
  } catch (error) {
    if (error instanceof OnlyTrying) return Object.freeze({ expectation, title, leftOut: error.message })
    if (error instanceof OddAnswer) return found([error.message])
    throw error
  }
}

const BUILT_IN: readonly string[] = ['read', 'create', 'update', 'delete']

/** Only a write could tell, and writes are not permitted. */
class OnlyTrying extends Error {}

function reasonToLeaveOut({ people, mayWrite }: Deployed, one: Expectation): string | undefined {
  if (one.person !== 'visitor' && people[one.person] === undefined) return 'there are no credentials for this person'
  if (one.at !== undefined) return 'it is about another time'
  if (one.kind !== 'try') return undefined
  if (one.within !== undefined) return 'only the application calls routines'
  if (one.action === 'create' && !one.allowed && !mayWrite.includes(one.type)) return 'it would write to the application'
  return undefined
}

/** Whether something is really done: a read, or a write that should be refused. */
function isTried({ mayWrite }: Deployed, one: Expectation): boolean {
  if (one.kind === 'reach' || one.kind === 'fields') return one.action === 'read'
  return one.kind === 'try' && (one.action === 'read' || (!one.allowed && mayWrite.includes(one.type)))
}

async function problemsOf(site: Deployed, one: Expectation): Promise<string[]> {
  if ('name' in one) return named(site, one)
  const type = typeModel(site.model, one.type)
  switch (one.kind) {
    case 'reach':
      return reached(site, type, one)
    case 'fields':
      return fieldsOf(site, type, one)
    case 'access':
      return accessOf(site, type, one)
    case 'try':
      return attempted(site, type, one)
  }
}

async function named(site: Deployed, { person, kind, name, has }: PrivilegeExpectation): Promise<string[]> {
  const answer = await call(site, person, 'GET', 'my-rules')
  if (outcomeOf(answer, `my-rules, asked for by ${person},`) !== 'allowed') throw new OddAnswer(`my-rules is refused to ${person}`)
  const there = ((kind === 'privilege' ? answer.body.privileges : answer.body.routines) as string[]).includes(name)
  return there === has ? [] : [there ? 'has it' : 'does not have it']
}

async function reached(site: Deployed, type: TypeModel, one: Expectation & { readonly kind: 'reach' }): Promise<string[]> {
  const { person, action, extent, keys } = one
  const rows = await listed(site, person, type.name, {
    fields: type.keys.join(','),
    ...(action === 'read' ? {} : { may: action }),
  })
  const found = new Set(
    action === 'read'
      ? rows.map((row) => keyOf(type, row))
      : rows.flatMap(({ record, may }) => ((may as May)[action]?.allowed ? [keyOf(type, record as Row)] : [])),
  )
  const said = new Set(keys === 'all' ? site.keys(type.name) : keys)
  const missing = extent === 'none' ? [] : [...said].filter((key) => !found.has(key))
  const surplus = extent === 'at least' ? [] : [...found].filter((key) => said.has(key) === (extent === 'none'))
  const opened: Key[] = []
  if (extent === 'none' && action === 'read')
    for (const key of said) if (!found.has(key) && (await gotten(site, person, type, key)) !== undefined) opened.push(key)
  return [
    ...(missing.length > 0 ? [`missing: ${missing.join(', ')}`] : []),
    ...(surplus.length > 0 ? [`too many: ${surplus.join(', ')}`] : []),
    ...(opened.length > 0 ? [`not in the list, but returned by its key: ${opened.join(', ')}`] : []),
  ]
}

/** A record that a person gets by its key; undefined if they do not. */
async function gotten(site: Deployed, person: string, type: TypeModel, key: Key): Promise<Row | undefined> {
  const answer = await call(site, person, 'GET', pathOf(site, type.name, key))
  return outcomeOf(answer, `${type.name} ${key}, asked for by ${person},`) === 'allowed' ? answer.body : undefined
}

async function fieldsOf(site: Deployed, type: TypeModel, one: Expectation & { readonly kind: 'fields' }): Promise<string[]> {
  const others = Object.keys(type.fields).filter((name) => !isKeyField(type, name))
  const said = one.fields === 'all' ? others : one.fields
  const { has, left } = one.action === 'read' ? await seen(site, one.person, type, one.key) : await changed(site, one.person, type, one.key)
  const missing = one.extent === 'none' ? [] : said.filter((name) => !has.includes(name) && !left.includes(name))
  const surplus = one.extent === 'at least' ? [] : has.filter((name) => said.includes(name) === (one.extent === 'none'))
  const verb = one.action === 'read' ? 'sees' : 'changes'
  return [
    ...(missing.length > 0 ? [`missing: ${missing.join(', ')}`] : []),
    ...(surplus.length > 0 ? [`${verb} too much: ${surplus.join(', ')}`] : []),
  ]
}

/** The fields of a record in a person's response, and those that may be absent because they have no value. */
async function seen(site: Deployed, person: string, type: TypeModel, key: Key) {
  const record = await gotten(site, person, type, key)
  if (record === undefined) return { has: [], left: [] }
  const left = Object.entries(type.fields).flatMap(([name, { optional, nullable }]) => (optional && !nullable ? [name] : []))
  return { has: Object.keys(record).filter((name) => !isKeyField(type, name)), left }
}

async function changed(site: Deployed, person: string, type: TypeModel, key: Key) {
  const may = await mayOf(site, person, type, key, ['update'])
  const all = Object.keys(type.fields).filter((name) => !isKeyField(type, name))
  return { has: may?.update?.allowed ? [...(may.update.fields ?? all)] : [], left: [] as string[] }
}

async function accessOf(site: Deployed, type: TypeModel, one: Expectation & { readonly kind: 'access' }): Promise<string[]> {
  const actions = type.actions.filter((action) => action !== 'create')
  const may = await mayOf(site, one.person, type, one.key, actions)
  return actions.flatMap((action) => {
    const allowed = action === 'read' ? may !== undefined : may?.[action]?.allowed === true
    return allowed === one.actions.includes(action)
      ? []
      : [`${allowed ? 'is allowed, but should not be' : 'is not allowed, but should be'}: ${action}`]
  })
}

async function attempted(site: Deployed, type: TypeModel, one: TryExpectation): Promise<string[]> {
  const { person, action, key, allowed } = one
  const path = pathOf(site, type.name, key)
  const own = !BUILT_IN.includes(action)
  const tries = !allowed && site.mayWrite.includes(type.name)
  if (action === 'read' || (own && !tries)) {
    const answer = await call(site, person, 'GET', own ? `${path}/${encodeURIComponent(action)}` : path)
    const came = outcomeOf(answer, `${action} ${type.name} ${key}, asked by ${person},`)
    const outcome = came === 'allowed' && own && answer.body.allowed !== true ? 'refused' : came
    return compared(one, outcome, (came === 'allowed' ? answer.body.message : answer.body.detail) as string | undefined)
  }
  if (!tries) return permitted(site, type, one)
  const before = await lookedAt(site, type, key)
  const answer = await tried(site, type, one)
  const outcome = outcomeOf(answer, `${action} of ${type.name}${key === undefined ? '' : ` ${key}`}, tried by ${person},`)
  const trace = (await lookedAt(site, type, key)) === before ? [] : ['it was refused, but the record has changed']
  const { detail } = answer.body
  return [...compared(one, outcome, detail as string | undefined), ...trace]
}

/** Sends a write to the routes, or to the application's own endpoint. */
function tried(site: Deployed, type: TypeModel, { person, action, key, sending = {} }: TryExpectation): Promise<Answer> {
  const handler = site.handlers?.[type.name]?.[action]
  if (handler !== undefined) return callHandler(site, person, handler, key, sending)
  const path = pathOf(site, type.name, key)
  switch (action) {
    case 'create':
      return call(site, person, 'POST', path, sending)
    case 'update':
      return call(site, person, 'PATCH', path, sending)
    case 'delete':
      return call(site, person, 'DELETE', path)
    default:
      return call(site, person, 'POST', `${path}/${encodeURIComponent(action)}`, sending)
  }
}

/** Asks the application what is allowed, without attempting it. */
async function permitted(site: Deployed, type: TypeModel, one: TryExpectation): Promise<string[]> {
  const { person, action, key, sending, allowed } = one
  if (allowed && sending !== undefined) return promised(site, type, one)
  const found = (await mayOf(site, person, type, key as Key, [action]))?.[action]
  const within = Object.keys(sending ?? {}).every((name) => found?.fields === undefined || found.fields.includes(name))
  const may = found?.allowed === true && within
  if (allowed) return may ? [] : ['the verdict of the application is that it is not allowed']
  if (!may) return []
  // An update may be refused because of the record that it would lead to.
  if (action === 'update' && sending !== undefined) throw new OnlyTrying('only a real request would tell, and that would write')
  return ['the verdict of the application is that it is allowed']
}

/** The application's verdict on the fields that would be sent. */
async function promised(site: Deployed, type: TypeModel, { person, action, key, sending = {} }: TryExpectation): Promise<string[]> {
  const question = action === 'create' ? { action, type: type.name, record: sending } : { action, type: type.name, key, changes: sending }
  const answer = await call(site, person, 'POST', 'my-rules/verdicts', { questions: [question] })
  if (answer.status === 404 && answer.body.code !== 'NOT_FOUND')
    throw new OnlyTrying('the application has no verdicts (my-rules), so only a real request would tell')
  if (outcomeOf(answer, `the verdict on ${action} of ${type.name}, asked for by ${person},`) !== 'allowed')
    throw new OddAnswer(`a verdict is refused to ${person}`)
  const [verdict] = answer.body.verdicts as readonly { readonly allowed: boolean; readonly outcome: string; readonly message?: string }[]
  return verdict?.allowed ? [] : [`${verdict?.outcome}: ${verdict?.message ?? ''}`]
}

function compared({ allowed, as, message }: TryExpectation, outcome: string, said: string | undefined): string[] {
  if (allowed) return outcome === 'allowed' ? [] : [`${outcome}: ${said ?? ''}`]
  if (outcome === 'allowed') return ['it was allowed']
  const otherwise = as === undefined ? !['sign in', 'not found', 'refused'].includes(outcome) : outcome !== as
  return [
    ...(otherwise ? [`it is ${outcome}${as === undefined ? '' : `, not ${as}`}: ${said ?? ''}`] : []),
    ...(message !== undefined && message !== said ? [`the message is: ${said ?? 'nothing'}`] : []),
  ]
}

/** A record as a person who sees it gets it. */
async function lookedAt(site: Deployed, type: TypeModel, key: Key | undefined): Promise<string> {
  if (key === undefined) return ''
  const seenBy: string[] = []
  for (const person of ['visitor', ...Object.keys(site.people)])
    seenBy.push(JSON.stringify((await gotten(site, person, type, key)) ?? null))
  return seenBy.join('\n')
}
