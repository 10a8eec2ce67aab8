import { isPachterError, type Row } from '../condition/index.js'
import { type Key, knownAction, type TypeModel, unknownName } from '../rulebook/index.js'
import type { GuardedStore, InvalidError } from '../store/index.js'
import type { Verdict } from '../viewpoint/index.js'
import { asShaped, readBody } from './body.js'
import { type Call, json, NOWHERE } from './call.js'
import { RequestError } from './error.js'
import { untilNextStep } from './pad-timing.js'

/** The most questions in one request. */
const MOST_QUESTIONS = 100
/** The maximum size of the request in bytes. */
const MOST_BYTES = 2 ** 18

/**
 * Answers questions that a page cannot: `{ questions: [{ action, type, key, changes }, { action: 'create', type, record }] }`. Nothing is
 * written, and nothing is revealed that trying would not: outcomes, fields and messages, but no clause titles.
 */
export async function verdictsOn(call: Call): Promise<Response> {
  const { site, store, request } = call
  const began = performance.now()
  const { questions, ...others } = await readBody(request, ['application/json'], Math.min(site.bodyLimit, MOST_BYTES))
  const odd = Object.keys(others)[0]
  if (odd !== undefined) throw new RequestError(400, unknownName('field', odd, ['questions']))
  if (!Array.isArray(questions) || questions.length > MOST_QUESTIONS)
    throw new RequestError(400, `questions: needs a list of at most ${MOST_QUESTIONS}`)
  // All questions are read and checked before any is answered.
  const all = questions.map((question, at) => asked(readQuestion(call, question, `questions[${at}]`)))
  const verdicts: object[] = []
  for (const ask of all) verdicts.push(await ask(store))
  if (verdicts.some((verdict) => ['not found', 'invalid'].includes((verdict as { outcome: string }).outcome))) await untilNextStep(began)
  return json({ verdicts }, { headers: { 'cache-control': 'no-store' } })
}

/** For developers: explains a verdict, with the values in the records. Served only if enabled, and never in production. */
export async function reasonsOn(call: Call): Promise<Response> {
  if (inProduction()) throw NOWHERE()
  const question = readQuestion(call, await readBody(call.request, ['application/json'], call.site.bodyLimit), 'the question')
  const { action, type, key, changes, record } = question
  const explanation = await call.store.why(action, type.name, (key ?? record) as Key, changes)
  return json(explanation, { headers: { 'cache-control': 'no-store' } })
}

/** Whether this is production, where developer routes are not served. */
export function inProduction(): boolean {
  return globalThis.process?.env.NODE_ENV === 'production'
}

const PARTS = ['action', 'type', 'key', 'changes', 'record']

interface Question {
  readonly action: string
  readonly type: TypeModel
  readonly key?: Key
  readonly changes?: Row
  readonly record?: Row
}

function readQuestion({ site }: Call, question: unknown, where: string): Question {
  const wrong = (what: string) => new RequestError(400, `${where}: ${what}`)
  const isObject = (value: unknown): value is Row => typeof value === 'object' && value !== null && !Array.isArray(value)
  if (!isObject(question)) throw wrong('needs an object with action, type and key')
  const odd = Object.keys(question).find((name) => !PARTS.includes(name))
  if (odd !== undefined) throw wrong(unknownName('field', odd, PARTS))
  const { action: name, type: typeName, key, changes, record } = question
  const served = [...site.types.values()]
  const type = served.find((one) => one.name === typeName)
  if (type === undefined) {
    const names = served.map((one) => one.name)
    throw wrong(unknownName('record type', String(typeName), names))
  }
  const action = knownAction(type, String(name))
  if (action === 'create') {
    if (!isObject(record) || key !== undefined || changes !== undefined) throw wrong('create needs a record, and nothing else')
    return { action, type, record: asShaped(type, record) }
  }
  if (record !== undefined || (typeof key !== 'string' && typeof key !== 'number')) throw wrong(`${action} needs a key`)
  if (changes !== undefined && (action !== 'update' || !isObject(changes)))
    throw wrong('changes need to be an object, and are for update only')
  return { action, type, key, ...(changes === undefined ? {} : { changes: asShaped(type, changes as Row) }) }
}

function asked({ action, type, key, changes, record }: Question): (store: GuardedStore) => Promise<object> {
  if (record !== undefined) return (store) => told(type, () => store.verdict('create', type.name, record))
  return (store) =>
    told(type, async () => {
      const seen = await store.verdict('read', type.name, key as Key)
      if (action === 'read') return seen
      // The same queries run whether the record is hidden or does not exist.
      return changes === undefined || !seen.allowed
        ? store.verdict(action as 'update', type.name, key as Key)
        : store.verdict('update', type.name, key as Key, changes)
    })
}

async function told(type: TypeModel, ask: () => Promise<Verdict>): Promise<object> {
  try {
    const { allowed, outcome, fields, message } = await ask()
    return { allowed, outcome, ...(fields === undefined ? {} : { fields }), ...(message === undefined ? {} : { message }) }
  } catch (error) {
    if (!isPachterError(error, 'INVALID')) throw error
    const { faults } = error as InvalidError
    return { allowed: false, outcome: 'invalid', message: `This is not a valid ${type.name}.`, faults }
  }
}
