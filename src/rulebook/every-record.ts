import { asksAfter } from '../condition/walk.js'
import { refuseUnguardedNegations } from './absence.js'
import { noLeftovers } from './build-context.js'
import { everyRecordWords } from './callback-args.js'
import { useCondition } from './conditions.js'
import { plainObject } from './definition.js'
import { RulebookError, unknownName } from './error.js'
import { gatedForAll, wordsOf } from './gates-and-vetoes.js'
import { checkGenerated } from './generated.js'
import type { EveryRecordNode, Model, TypeModel } from './model.js'
import { finished } from './normalize.js'

/** Adds a condition on every record of every type, except those of the named types. @throws RulebookError */
export function withEveryRecord(model: Model, given: unknown, options: unknown = {}): Model {
  const at = 'everyRecord'
  if (typeof given !== 'function') throw new RulebookError(at, 'needs a function: ({ record, me }) => ...')
  const { except, message } = plainObject(options, `${at}, options`, ['except', 'message'])
  const excepted = readExceptions(model, except, at)
  const words = message === undefined ? {} : { message: wordsOf(message, at) }
  const types = Object.values(model.types).map((type) => {
    if (excepted.includes(type.name)) return [type.name, type]
    return [type.name, withCondition(type, Object.freeze({ when: conditionOn(model, type, given as Given, at), ...words }))]
  })
  return Object.freeze({ ...model, types: Object.freeze(Object.fromEntries(types)) })
}

type Given = (words: object) => unknown

function readExceptions(model: Model, except: unknown, at: string): readonly string[] {
  if (except === undefined) return []
  if (!Array.isArray(except)) throw new RulebookError(`${at}, except`, 'needs a list of record types')
  const known = Object.keys(model.types)
  const odd = except.find((name) => !known.includes(name))
  if (odd !== undefined) throw new RulebookError(`${at}, except`, unknownName('record type', odd, known))
  return except as string[]
}

function conditionOn(model: Model, type: TypeModel, given: Given, at: string): EveryRecordNode['when'] {
  const where = `${at}, ${type.name}`
  const node = noLeftovers(
    where,
    () => given(everyRecordWords(model, type)),
    (result) => finished(useCondition(result, at), where),
  )
  if (asksAfter(node)) throw new RulebookError(where, 'it cannot use "after": it always tests the record as it is')
  refuseUnguardedNegations(node, where, type.name)
  return node
}

function withCondition(type: TypeModel, condition: EveryRecordNode): TypeModel {
  const everyRecord = Object.freeze([...(type.everyRecord ?? []), condition])
  const rules = type.rules && gatedForAll(type, type.rules, condition)
  const gated = Object.freeze({ ...type, everyRecord, ...(rules ? { rules } : {}) })
  checkGenerated(gated)
  return gated
}
