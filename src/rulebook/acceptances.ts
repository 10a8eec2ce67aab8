import { describe } from '../condition/index.js'
import { plainObject } from './definition.js'
import { RulebookError, unknownName } from './error.js'
import type { AcceptanceNode, ClauseNode, Model, TypeModel } from './model.js'

const PARTS = ['write', 'by', 'gains', 'because']
const WRITES = ['create', 'update', 'delete']

/** Adds accepted promotions to the model. @throws RulebookError */
export function withAcceptances(model: Model, given: unknown): Model {
  const types = { ...model.types }
  for (const [name, list] of Object.entries(plainObject(given, 'accepts'))) {
    const type = Object.hasOwn(types, name) ? types[name] : undefined
    if (type === undefined) throw new RulebookError('accepts', unknownName('record type', name, Object.keys(types)))
    const at = `accepts of ${name}`
    if (!Array.isArray(list))
      throw new RulebookError(at, "must be a list: [{ write: 'update', by: 'warden', gains: { read: 'invoice' }, because: '...' }]")
    const read = list.map((one, index) => readAcceptance(model, type, one, `${at}[${index}]`))
    types[name] = Object.freeze({ ...type, accepts: Object.freeze([...(type.accepts ?? []), ...read]) })
  }
  return Object.freeze({ ...model, types: Object.freeze(types) })
}

function readAcceptance(model: Model, type: TypeModel, given: unknown, at: string): AcceptanceNode {
  const { write, by, gains, because } = plainObject(given, at, PARTS)
  if (typeof write !== 'string' || !WRITES.includes(write)) throw new RulebookError(`${at}, write`, unknownName('write', write, WRITES))
  if (by !== undefined) {
    const known = (type.rules?.may[write] ?? []).map((clause) => whoOf(type, clause))
    const titles = (type.rules?.may[write] ?? []).map(({ title }) => title)
    if (typeof by !== 'string' || ![...known, ...titles].includes(by))
      throw new RulebookError(`${at}, by`, unknownName(`clause of ${write}`, by, [...new Set(known)]))
  }
  if (typeof because !== 'string' || because.trim() === '')
    throw new RulebookError(`${at}, because`, 'say why this is right, in a sentence')
  return Object.freeze({
    write: write as AcceptanceNode['write'],
    ...(by === undefined ? {} : { by: by as string }),
    gains: readGains(model, gains, `${at}, gains`),
    because,
  })
}

function readGains(model: Model, given: unknown, at: string): AcceptanceNode['gains'] {
  if (given === 'everything') return given
  const gains: { [action: string]: readonly string[] } = {}
  for (const [action, types] of Object.entries(plainObject(given, at))) {
    const names = Array.isArray(types) ? types : [types]
    for (const name of names) {
      const type = typeof name === 'string' && Object.hasOwn(model.types, name) ? model.types[name] : undefined
      if (type === undefined) throw new RulebookError(at, unknownName('record type', name, Object.keys(model.types)))
      const actions = type.actions.filter((one) => one !== 'create')
      if (!actions.includes(action)) throw new RulebookError(at, unknownName('action', action, actions))
    }
    gains[action] = Object.freeze([...names])
  }
  if (Object.keys(gains).length === 0) throw new RulebookError(at, "say what is gained: gains: { read: 'invoice' }, or gains: 'everything'")
  return Object.freeze(gains)
}

/** The standing or role that a clause is for. */
export function whoOf({ name }: Pick<TypeModel, 'name'>, { who }: ClauseNode): string {
  return describe(who, { record: `the ${name}` })
}
