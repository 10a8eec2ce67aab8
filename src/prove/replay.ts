import type { Row } from '../condition/index.js'
import { type Ground, groundOf } from '../review/index.js'
import { isGenerated, type Key, keyOf, type Model, serverKey, type TypeModel, typeModel } from '../rulebook/index.js'
import { changedFields } from '../viewpoint/index.js'
import type { Example } from './example.js'
import type { Gain, Write } from './write-question.js'

const PERSON = 'person'

/**
 * Does what an example says in an in-memory store: the write, and what is gained by it, before and afterwards. Returns why it does not
 * happen; undefined if it does.
 */
export async function replayed(model: Model, write: Write, gain: Gain, example: Example): Promise<string | undefined> {
  const { record, target, me, records, now } = example
  if (record === undefined || target === undefined) return 'the example names no record'
  const ground = groundOf({ model }, { people: { [PERSON]: me }, records: records as never, now: new Date(now) })
  const routines = [undefined, ...Object.keys(model.routines)]
  const had = await permitted(ground, model, gain, example, routines)
  let message: string | undefined
  for (const within of routines) {
    const written = await ground.attempt(PERSON, { ...writing(model, write, example), within }, true)
    if (written.outcome !== 'allowed') {
      message ??= written.message
      continue
    }
    const has = await permitted(ground, model, gain, example, routines)
    return has.some((one) => !had.includes(one)) ? undefined : `after it, the store lets the person do no more with ${gain.type} records`
  }
  return `the store refuses the write: ${message}`
}

/** What the person may do to the target: the fields that they see, or the action itself. */
async function permitted(
  ground: Ground,
  model: Model,
  { type: name, action }: Gain,
  { target = {}, targetBecomes = {} }: Example,
  routines: readonly (string | undefined)[],
): Promise<readonly string[]> {
  const type = typeModel(model, name)
  const key = keyOf(type, target)
  const sending = action === 'update' ? changed(type, target, targetBecomes) : {}
  const may: string[] = []
  for (const within of action === 'read' ? [undefined] : routines) {
    const { outcome, record = {} } = await ground.attempt(PERSON, { type: name, action, key, sending, within })
    if (outcome === 'allowed') may.push(action, ...(action === 'read' ? Object.keys(record) : []))
  }
  return may
}

/** What the person sends. */
function writing(
  model: Model,
  { type: name, action }: Write,
  { record = {}, becomes = {} }: Example,
): { type: string; action: string; key?: Key; sending?: Row } {
  const type = typeModel(model, name)
  if (action === 'delete') return { type: name, action, key: keyOf(type, record) }
  if (action === 'update') return { type: name, action, key: keyOf(type, record), sending: changed(type, record, becomes) }
  const stamped = Object.keys(type.rules?.stamps.create ?? {})
  const isGiven = (field: string) => type.rules?.may.create.some(({ overriding }) => overriding?.includes(field)) === true
  const isServers = (field: string) => !isGiven(field) && (field === serverKey(type) || stamped.includes(field) || isGenerated(type, field))
  return {
    type: name,
    action,
    sending: Object.fromEntries(Object.entries(record).filter(([field, value]) => value != null && !isServers(field))),
  }
}

/** The fields that an update changes. What is gone is sent as null. */
function changed(type: TypeModel, before: Row, after: Row): Row {
  const stamped = Object.keys(type.rules?.stamps.update ?? {})
  const isGiven = (field: string) => type.rules?.may.update.some(({ overriding }) => overriding?.includes(field)) === true
  const names = changedFields(type, before, after).filter((name) => !stamped.includes(name) || isGiven(name))
  return Object.fromEntries(names.map((name) => [name, after[name] ?? null]))
}
