// Whether a subject may do something. Source: OpenID AuthZEN, Authorization API 1.0, sections 6 and 7.
import { isPachterError, type Row } from '../../condition/index.js'
import { keyFromText, knownAction, type Model, type TypeModel, UnknownNameError } from '../../rulebook/index.js'
import type { GuardedStore } from '../../store/index.js'
import type { Verdict } from '../../viewpoint/index.js'
import { asShaped } from '../body.js'
import { RequestError } from '../error.js'
import { type AuthZenAction, type AuthZenResource, objectOf, readAction, readResource, readSubject } from './request.js'
import type { Decisions } from './subjects.js'

/** A decision, and what the rules say to it. */
export interface Decision {
  readonly decision: boolean
  readonly context?: object
}

/** The most evaluations in one request. */
const MOST = 100
const SEMANTICS = ['execute_all', 'deny_on_first_deny', 'permit_on_first_permit'] as const
const PARTS = ['subject', 'action', 'resource', 'context'] as const

/** One decision. @throws RequestError 400 */
export async function evaluate(decisions: Decisions, body: Row, where = ''): Promise<Decision> {
  const subject = readSubject(body.subject, where)
  const action = readAction(body.action, where)
  const resource = readResource(body.resource, where)
  const mine = await decisions.storeOf(subject)
  if (mine === undefined) return { decision: false, context: { outcome: 'unknown subject' } }
  return judged(decisions.model, mine, action, resource, where)
}

/** Several decisions: what an evaluation does not say is as the request says for all. @throws RequestError 400 */
export async function evaluateAll(decisions: Decisions, body: Row): Promise<Decision | { readonly evaluations: readonly Decision[] }> {
  const { evaluations, options = {} } = body
  if (evaluations === undefined) return evaluate(decisions, body)
  if (!Array.isArray(evaluations) || evaluations.length > MOST)
    throw new RequestError(400, `evaluations: a list of at most ${MOST} is needed`)
  if (evaluations.length === 0) return evaluate(decisions, body)
  const { evaluations_semantic: semantic = SEMANTICS[0] } = objectOf(options, 'options')
  if (!SEMANTICS.includes(semantic as 'execute_all'))
    throw new RequestError(400, `options.evaluations_semantic: one of ${SEMANTICS.join(', ')} is needed`)
  const made: Decision[] = []
  for (const [at, one] of evaluations.entries()) {
    const own = objectOf(one, `evaluations[${at}]`)
    const whole = Object.fromEntries(PARTS.map((part) => [part, own[part] ?? body[part]]))
    made.push(await orError(() => evaluate(decisions, whole, `evaluations[${at}].`)))
    const { decision } = made.at(-1) as Decision
    if (semantic === 'deny_on_first_deny' && !decision) break
    if (semantic === 'permit_on_first_permit' && decision) break
  }
  return { evaluations: made }
}

/** Of several, one that cannot be read is refused, with the reason. */
async function orError(work: () => Promise<Decision>): Promise<Decision> {
  try {
    return await work()
  } catch (error) {
    if (!(error instanceof RequestError) && !isPachterError(error, 'UNKNOWN_NAME')) throw error
    return { decision: false, context: { error: { status: 400, message: (error as Error).message } } }
  }
}

async function judged(
  model: Model,
  mine: GuardedStore,
  action: AuthZenAction,
  resource: AuthZenResource,
  where: string,
): Promise<Decision> {
  const granted = await grantOf(model, mine, action, resource)
  if (granted !== undefined) return { decision: granted }
  const type = Object.hasOwn(model.types, resource.type) ? (model.types[resource.type] as TypeModel) : undefined
  if (type === undefined) throw new UnknownNameError('record type', resource.type, Object.keys(model.types), `${where}resource.type`)
  const name = knownAction(type, action.name)
  try {
    return told(await verdictOf(mine, type, name, action, resource, where))
  } catch (error) {
    if (!isPachterError(error, 'INVALID')) throw error
    return { decision: false, context: { outcome: 'invalid', message: error.message } }
  }
}

async function verdictOf(
  mine: GuardedStore,
  type: TypeModel,
  name: string,
  { properties: { changes } }: AuthZenAction,
  { id, properties }: AuthZenResource,
  where: string,
): Promise<Verdict> {
  if (name === 'create') return mine.verdict('create', type.name, asShaped(type, properties))
  if (id === undefined) throw new RequestError(400, `${where}resource.id: the key of the ${type.name} is needed`)
  const key = keyFromText(type, id)
  if (changes === undefined) return mine.verdict(name as 'read', type.name, key)
  if (name !== 'update') throw new RequestError(400, `${where}action.properties.changes: only an update has changes`)
  return mine.verdict('update', type.name, key, asShaped(type, objectOf(changes, `${where}action.properties.changes`)) as never)
}

/** Privileges and routines belong to no record: the resource is `privilege` or `routine` with its name, unless a record type is named so. */
async function grantOf(
  model: Model,
  mine: GuardedStore,
  { name }: AuthZenAction,
  { type, id }: AuthZenResource,
): Promise<boolean | undefined> {
  if (Object.hasOwn(model.types, type) || (type !== 'privilege' && type !== 'routine')) return undefined
  const known = Object.keys(type === 'privilege' ? model.privileges : model.routines)
  if (id === undefined || !known.includes(id)) throw new UnknownNameError(type, String(id), known, 'resource.id')
  const action = type === 'privilege' ? 'have' : 'call'
  if (name !== action) throw new UnknownNameError('action', name, [action], 'action.name')
  return type === 'privilege' ? mine.has(id as never) : mine.mayCall(id as never)
}

function told({ allowed, outcome, fields, message }: Verdict): Decision {
  const more = { ...(fields === undefined ? {} : { fields }), ...(message === undefined ? {} : { message }) }
  return { decision: allowed, context: { outcome, ...more } }
}
