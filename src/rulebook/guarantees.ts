import { asksAfter, type ConditionNode, describe, TRUE } from '../condition/index.js'
import { noLeftovers } from './build-context.js'
import { ruleWords } from './callback-args.js'
import { useCondition } from './conditions.js'
import { plainObject } from './definition.js'
import { RulebookError, unknownName } from './error.js'
import type { GuaranteeNode, Model, TypeModel } from './model.js'
import { finished } from './normalize.js'
import { recordTerms } from './record-terms.js'

const PARTS = ['never', 'fields', 'provided', 'unless', 'titled']
/** How a sentence names what is done to fields. */
const VERBS: { readonly [action: string]: string } = { read: 'sees', create: 'sends', update: 'changes' }

/** Adds the guarantees of record types to the model. @throws RulebookError */
export function withGuarantees(model: Model, given: unknown): Model {
  const types = { ...model.types }
  for (const [name, callback] of Object.entries(plainObject(given, 'guarantees'))) {
    const type = Object.hasOwn(types, name) ? types[name] : undefined
    if (type === undefined) throw new RulebookError('guarantees', unknownName('record type', name, Object.keys(types)))
    const at = `guarantees of ${name}`
    if (typeof callback !== 'function') throw new RulebookError(at, `needs a function: (${name}, words) => [{ never: 'update', ... }]`)
    const guarantees = noLeftovers(
      at,
      () => callback(recordTerms(types, type), ruleWords(model, type)) as unknown,
      (result) => readGuarantees(type, result, at),
    )
    const all = [...(type.guarantees ?? []), ...guarantees]
    const twice = all.find(({ title }, place) => all.findIndex((other) => other.title === title) !== place)
    if (twice !== undefined)
      throw new RulebookError(at, `"${twice.title}" occurs twice: remove one, or give it another name with titled: '...'`)
    types[name] = Object.freeze({ ...type, guarantees: Object.freeze(all) })
  }
  return Object.freeze({ ...model, types: Object.freeze(types) })
}

function readGuarantees(type: TypeModel, given: unknown, at: string): GuaranteeNode[] {
  if (!Array.isArray(given)) throw new RulebookError(at, "must return a list: [{ never: 'update', unless: role('treasurer') }]")
  return given.map((one, index) => readGuarantee(type, one, `${at}[${index}]`))
}

function readGuarantee(type: TypeModel, given: unknown, at: string): GuaranteeNode {
  const { never, fields, provided, unless, titled } = plainObject(given, at, PARTS)
  if (typeof never !== 'string') throw new RulebookError(at, "say what must never be possible: never: 'update'")
  if (!type.actions.includes(never)) throw new RulebookError(`${at}, never`, unknownName('action', never, type.actions))
  const named = readFields(type, never, fields, `${at}, fields`)
  const where = provided === undefined ? TRUE : condition(provided, never, `${at}, provided`)
  const except = unless === undefined ? undefined : condition(unless, never, `${at}, unless`)
  if (titled !== undefined && (typeof titled !== 'string' || titled.trim() === ''))
    throw new RulebookError(`${at}, titled`, 'needs a text: the name that reports use')
  return Object.freeze({
    title: (titled as string | undefined) ?? titleOf(type, never, named, where, except),
    never,
    ...(named === undefined ? {} : { fields: named }),
    provided: where,
    ...(except === undefined ? {} : { unless: except }),
  })
}

function readFields(type: TypeModel, action: string, given: unknown, at: string): readonly string[] | undefined {
  if (given === undefined) return undefined
  if (VERBS[action] === undefined) throw new RulebookError(at, `"${action}" has no fields: they are for read, create and update`)
  if (!Array.isArray(given) || given.length === 0) throw new RulebookError(at, "needs a list of fields: fields: ['rentDue']")
  for (const name of given)
    if (!Object.hasOwn(type.fields, name)) throw new RulebookError(at, unknownName('field', name, Object.keys(type.fields)))
  const key = given.find((name) => type.keys.includes(name))
  if (key !== undefined && action === 'read')
    throw new RulebookError(at, `"${key}" is the key, which is visible wherever the record is: leave out "fields" to speak of the record`)
  return Object.freeze([...(given as string[])])
}

function condition(given: unknown, action: string, at: string): ConditionNode {
  const node = finished(useCondition(given, 'guarantee'), at)
  if (action !== 'update' && asksAfter(node)) throw new RulebookError(at, '"after", the record as it becomes, can be used for update only')
  return node
}

function titleOf(
  { name }: TypeModel,
  action: string,
  fields: readonly string[] | undefined,
  provided: ConditionNode,
  unless: ConditionNode | undefined,
): string {
  const wording = { record: `the ${name}` }
  const what = fields === undefined ? `${action}s a ${name}` : `${VERBS[action]} ${fields.join(', ')} of a ${name}`
  const where = provided === TRUE ? '' : ` where ${describe(provided, wording)}`
  return `nobody ${what}${where}${unless === undefined ? '' : `, unless ${describe(unless, wording)}`}`
}
