// Who may, on what, and what. Source: OpenID AuthZEN, Authorization API 1.0, section 8.
import type { Row } from '../../condition/index.js'
import { keyFromText, keyOf, knownAction, typeModel } from '../../rulebook/index.js'
import { RequestError } from '../error.js'
import { evaluate } from './evaluation.js'
import { type AuthZenResource, objectOf, readAction, readResource, readSubject, textOf } from './request.js'
import type { Decisions } from './subjects.js'

/** What was found, and the token of the next page; empty on the last one. */
interface FoundPage {
  readonly page: { readonly next_token: string; readonly count: number }
  readonly results: readonly object[]
}

const SIZE = 50
const MOST = 200

function found(results: readonly object[], next = ''): FoundPage {
  return { page: { next_token: next, count: results.length }, results }
}

function pageOf(body: Row): { readonly size: number; readonly after: string | undefined } {
  const { token, limit = SIZE } = objectOf(body.page ?? {}, 'page')
  if (!Number.isSafeInteger(limit) || (limit as number) < 1) throw new RequestError(400, 'page.limit: a whole number from 1 is needed')
  return { size: Math.min(limit as number, MOST), after: token === undefined || token === '' ? undefined : textOf(token, 'page.token') }
}

/** The records on which a subject may do something. A page can have fewer than asked for, and more can follow. */
export async function searchResources(decisions: Decisions, body: Row): Promise<FoundPage> {
  const subject = readSubject(body.subject, '')
  const { name } = readAction(body.action, '')
  const type = typeModel(decisions.model, readResource(body.resource, '').type)
  const action = knownAction(type, name)
  if (action === 'create') throw new RequestError(400, 'action.name: a record to be created cannot be searched')
  const mine = await decisions.storeOf(subject)
  if (mine === undefined) return found([])
  const { size, after } = pageOf(body)
  const asked = { fields: [...type.keys], size, ...(after === undefined ? {} : { after }) }
  const result = (row: Row) => ({ type: type.name, id: String(keyOf(type, row)) })
  if (action === 'read') {
    const { records, next } = await mine.page(type.name, asked as never)
    return found(
      records.map((one) => result(one as Row)),
      next,
    )
  }
  const { records, next } = await mine.page(type.name, { ...asked, withActions: [action] } as never)
  const allowed = (records as unknown as readonly { readonly record: Row; readonly may: Record<string, { allowed: boolean }> }[]).filter(
    ({ may }) => may[action]?.allowed,
  )
  return found(
    allowed.map(({ record }) => result(record)),
    next,
  )
}

/** What a subject may do to a record. */
export async function searchActions(decisions: Decisions, body: Row): Promise<FoundPage> {
  const subject = readSubject(body.subject, '')
  const { type: name, id } = readResource(body.resource, '')
  const type = typeModel(decisions.model, name)
  if (id === undefined) throw new RequestError(400, `resource.id: the key of the ${type.name} is needed`)
  const mine = await decisions.storeOf(subject)
  if (mine === undefined) return found([])
  const may: object[] = []
  for (const action of type.actions)
    if (action !== 'create' && (await mine.verdict(action as 'read', type.name, keyFromText(type, id))).allowed) may.push({ name: action })
  return found(may)
}

/** Who may do something to a record, of those that the application lists. */
export async function searchSubjects(decisions: Decisions, body: Row): Promise<FoundPage> {
  const { type } = objectOf(body.subject, 'subject')
  const name = textOf(type, 'subject.type')
  const action = readAction(body.action, '')
  const resource = readResource(body.resource, '')
  const { size, after } = pageOf(body)
  const { subjects = [], next } = (await decisions.subjects?.({ type: name, after, size })) ?? {}
  const may: object[] = []
  for (const { id, claims } of subjects.slice(0, MOST)) {
    const one: Decisions = { ...decisions, storeOf: async () => decisions.storeFor(claims as Row) }
    const asked = { subject: { type: name, id }, action, resource: withoutMissing(resource) }
    const { decision } = await evaluate(one, asked as unknown as Row)
    if (decision) may.push({ type: name, id })
  }
  return found(may, next)
}

function withoutMissing({ id, ...rest }: AuthZenResource): object {
  return id === undefined ? rest : { ...rest, id }
}
