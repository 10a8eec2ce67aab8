import { jsonText, type Row } from '../../condition/index.js'
import { isJudgedAlong, isKeyField, type Key, keyOf, sameValue, typeModel } from '../../rulebook/index.js'
import { stampValues } from '../../viewpoint/index.js'
import { reasonOf } from '../reports/reason.js'
import type { Ground } from '../scenario.js'
import {
  type AccessExpectation,
  type Expectation,
  expectationTitle,
  type FieldsExpectation,
  type PrivilegeExpectation,
  type ReachExpectation,
  type TryExpectation,
} from './expectation.js'

/** The result of an expectation. */
export interface Finding {
  readonly expectation: Expectation
  readonly title: string
  readonly held: boolean
  /** What differs from the expectation, one line each, with the reason. */
  readonly problems: readonly string[]
}

/** Judges an expectation with the person's guarded store and viewpoint, on a copy of the records. */
export async function judgeExpectation(ground: Ground, expectation: Expectation): Promise<Finding> {
  const { at } = expectation
  const problems = await problemsOf(at === undefined ? ground : ground.asOf(at), expectation)
  return Object.freeze({
    expectation,
    title: expectationTitle(expectation),
    held: problems.length === 0,
    problems: Object.freeze(problems),
  })
}

function problemsOf(ground: Ground, expectation: Expectation): Promise<string[]> {
  switch (expectation.kind) {
    case 'reach':
      return reach(ground, expectation)
    case 'fields':
      return fields(ground, expectation)
    case 'try':
      return attempted(ground, expectation)
    case 'privilege':
    case 'routine':
      return privilege(ground, expectation)
    case 'access':
      return access(ground, expectation)
  }
}

/** This many records are listed; the rest are counted. */
const MOST_TOLD = 10

async function reach(ground: Ground, { person, action, type, extent, keys }: ReachExpectation): Promise<string[]> {
  const said = new Set(keys === 'all' ? ground.keys(type) : keys)
  const found = new Set(await reached(ground, person, action, type))
  const missing = extent === 'none' ? [] : [...said].filter((key) => !found.has(key))
  const surplus = extent === 'at least' ? [] : [...found].filter((key) => said.has(key) === (extent === 'none'))
  return [
    ...(await told(missing, 'missing', (key) => reason(ground, person, action, type, key))),
    ...(await told(surplus, 'too many', (key) => reason(ground, person, action, type, key))),
    ...(extent === 'none' && action === 'read' ? await opened(ground, person, type, [...said], found) : []),
  ]
}

/** A record that is not in the list must not be available by its key either. */
async function opened(ground: Ground, person: string, type: string, keys: readonly Key[], listed: ReadonlySet<Key>): Promise<string[]> {
  const problems: string[] = []
  for (const key of keys) {
    if (listed.has(key)) continue
    const { outcome } = await ground.attempt(person, { action: 'read', type, key })
    if (outcome === 'allowed') problems.push(`not in the list, but returned by its key: ${key}`)
  }
  return problems
}

/** The records on which a person may do an action. A deletion includes everything that is deleted with it. */
export async function reached(ground: Ground, person: string, action: string, type: string): Promise<Key[]> {
  const model = typeModel(ground.model, type)
  if (isTakenAlong(ground, action, type)) {
    const rows = await ground.store(person).list(type, { withActions: ['delete'] })
    return rows.flatMap(({ record, may }) => (may.delete?.allowed ? [keyOf(model, record as Row)] : []))
  }
  const rows =
    action === 'read'
      ? await ground.store(person).list(type)
      : ground.viewpoint(person).filter(type, (ground.records[type] ?? []) as Row[], action)
  return rows.map((row) => keyOf(model, row as Row))
}

/** Whether other records may block the deletion, besides the rules of the record itself. */
export function isTakenAlong({ model }: Ground, action: string, type: string): boolean {
  return action === 'delete' && isJudgedAlong(model, type)
}

/** The records, grouped into one line for each reason. */
async function told(keys: readonly Key[], what: string, why: (key: Key) => Promise<string>): Promise<string[]> {
  const reasons = new Map<string, Key[]>()
  for (const key of keys.slice(0, MOST_TOLD)) {
    const said = await why(key)
    reasons.set(said, [...(reasons.get(said) ?? []), key])
  }
  const lines = [...reasons].map(([said, alike]) => `${what}: ${alike.join(', ')}; ${said}`)
  if (keys.length <= MOST_TOLD) return lines
  const others = keys.slice(MOST_TOLD, 2 * MOST_TOLD).join(', ')
  return [...lines, `and ${keys.length - MOST_TOLD} more: ${others}${keys.length > 2 * MOST_TOLD ? ', ...' : ''}`]
}

async function reason(ground: Ground, person: string, action: string, type: string, key: Key): Promise<string> {
  const record = ground.record(type, key)
  if (record === undefined) return 'there is no such record'
  const why = ground.viewpoint(person).why(action, type, record)
  if (why.verdict.allowed && isTakenAlong(ground, action, type)) {
    const { allowed } = await ground.store(person).verdict('delete', type, key)
    if (!allowed) return 'its own rules allow it, but a record that belongs to it blocks it'
  }
  return reasonOf(why)
}

async function fields(ground: Ground, { person, action, type: typeName, key, extent, fields }: FieldsExpectation): Promise<string[]> {
  const type = typeModel(ground.model, typeName)
  const record = ground.record(typeName, key)
  const verdict = record && ground.viewpoint(person).verdict(action, typeName, record)
  const others = Object.keys(type.fields).filter((name) => !isKeyField(type, name))
  const has = verdict?.allowed ? (verdict.fields ?? others) : []
  const said = fields === 'all' ? others : fields
  const verb = action === 'read' ? 'sees' : 'changes'
  if (verdict?.allowed !== true && extent !== 'none')
    return [`${verb} nothing of it; ${await reason(ground, person, action, typeName, key)}`]
  const missing = extent === 'none' ? [] : said.filter((name) => !has.includes(name))
  const surplus = extent === 'at least' ? [] : has.filter((name) => said.includes(name) === (extent === 'none'))
  const by = missing.length + surplus.length === 0 ? '' : await reason(ground, person, action, typeName, key)
  const given = action === 'read' ? Object.keys((await ground.attempt(person, { action, type: typeName, key })).record ?? {}) : []
  const leaked = given.filter((name) => !isKeyField(type, name) && !has.includes(name))
  return [
    ...(missing.length === 0 ? [] : [`missing: ${missing.join(', ')}; ${by}`]),
    ...(surplus.length === 0 ? [] : [`${verb} too much: ${surplus.join(', ')}; ${by}`]),
    ...(leaked.length === 0 ? [] : [`returned although hidden: ${leaked.join(', ')}`]),
  ]
}

async function access(ground: Ground, { person, type: typeName, key, actions }: AccessExpectation): Promise<string[]> {
  const record = ground.record(typeName, key)
  if (record === undefined) return ['there is no such record']
  const view = ground.viewpoint(person)
  const type = typeModel(ground.model, typeName)
  const problems: string[] = []
  for (const action of type.actions) {
    if (action === 'create') continue
    const asked = isTakenAlong(ground, action, typeName) ? ground.store(person).verdict('delete', typeName, key) : undefined
    const { allowed } = (await asked) ?? view.verdict(action, typeName, record)
    if (allowed === actions.includes(action)) continue
    const why = await reason(ground, person, action, typeName, key)
    problems.push(`${allowed ? 'is allowed, but should not be' : 'is not allowed, but should be'}: ${action}; ${why}`)
  }
  return problems
}

async function privilege(ground: Ground, { kind, person, name, has }: PrivilegeExpectation): Promise<string[]> {
  const view = ground.viewpoint(person)
  const found = kind === 'privilege' ? view.has(name) : view.mayCall(name)
  if (found === has) return []
  return [kind === 'privilege' ? (found ? 'has it' : 'does not have it') : found ? 'may call it' : 'may not call it']
}

async function attempted(ground: Ground, expectation: TryExpectation): Promise<string[]> {
  const { person, action, type, key, sending, allowed } = expectation
  if (action === 'update' && sending === undefined) return anyUpdate(ground, expectation)
  const result = await ground.attempt(person, expectation, !allowed)
  const why = () => whyTried(ground, expectation)
  if (allowed) {
    if (result.outcome === 'invalid') return [`invalid: ${result.message ?? ''}`]
    if (result.outcome !== 'allowed') return [`${result.outcome}: ${result.message ?? ''} ${why()}`.trim()]
    return unlike(ground, expectation, result.record)
  }
  // The action is done on the copy without undoing it: a refused action must not have changed anything.
  const trace = await ground.touched(type, key)
  const { as, message } = expectation
  if (result.outcome === 'allowed') {
    if (trace !== undefined) ground.refresh()
    return [`it was allowed${trace === undefined ? '' : `, and was done (on a copy)`}; ${why()}`]
  }
  const problems: string[] = []
  if (trace !== undefined) {
    ground.refresh()
    problems.push(`${result.outcome}, but ${trace}`)
  }
  if (as === undefined ? result.outcome === 'invalid' : result.outcome !== as)
    problems.push(`it is ${result.outcome}${as === undefined ? '' : `, not ${as}`}: ${result.message ?? ''}`)
  if (message !== undefined && result.message !== message) problems.push(`the message is: ${result.message ?? 'nothing'}`)
  return problems
}

/** The reason for the outcome of an attempt. */
function whyTried(ground: Ground, { person, action, type, key, sending = {}, within }: TryExpectation): string {
  const view = ground.viewpoint(person, within)
  const before = key === undefined ? undefined : ground.record(type, key)
  if (action === 'create')
    return reasonOf(view.why('create', type, { ...stampValues(typeModel(ground.model, type), 'create', view.env()), ...sending }))
  if (before === undefined) return ''
  const becomes = action === 'update' ? { ...before, ...sending } : undefined
  return reasonOf(view.why(action, type, before, becomes))
}

/** An update without fields: whether any update is allowed. If not, each field is tried. */
async function anyUpdate(ground: Ground, expectation: TryExpectation): Promise<string[]> {
  const { person, type: typeName, key, allowed, within, as, message } = expectation
  const type = typeModel(ground.model, typeName)
  const record = ground.record(typeName, key as Key)
  if (record === undefined) return ['there is no such record']
  const view = ground.viewpoint(person, within)
  const verdict = view.verdict('update', typeName, record)
  if (allowed) return verdict.allowed ? [] : [`${verdict.outcome}: ${verdict.message} ${reasonOf(view.why('update', typeName, record))}`]
  if (verdict.allowed) return [`it may be changed; ${reasonOf(view.why('update', typeName, record))}`]
  const problems: string[] = []
  if (as !== undefined && verdict.outcome !== as) problems.push(`it is ${verdict.outcome}, not ${as}: ${verdict.message}`)
  if (message !== undefined && verdict.message !== message) problems.push(`the message is: ${verdict.message}`)
  for (const name of Object.keys(type.fields)) {
    if (isKeyField(type, name)) continue
    const others = (ground.records[typeName] ?? []).map((row) => (row as Row)[name])
    const value = others.find((one) => one !== undefined && !sameValue(type.fields[name], one, record[name]))
    if (value === undefined) continue
    const { outcome } = await ground.attempt(person, { action: 'update', type: typeName, key, sending: { [name]: value }, within }, true)
    const trace = await ground.touched(typeName, key)
    if (trace !== undefined) ground.refresh()
    if (outcome === 'allowed' || trace !== undefined) problems.push(`${name} could be changed: ${trace ?? outcome}`)
  }
  return problems
}

/** How a written record differs from the expectation. */
function unlike(ground: Ground, { type: typeName, giving, action }: TryExpectation, record: Row | undefined): string[] {
  if (giving === undefined || action === 'delete') return []
  const type = typeModel(ground.model, typeName)
  return Object.entries(giving).flatMap(([name, value]) =>
    sameValue(type.fields[name], record?.[name], value) ? [] : [`${name} is ${jsonText(record?.[name] ?? null)}, not ${jsonText(value)}`],
  )
}
