import { asksAfter, type ConditionNode, describe, TRUE } from '../condition/index.js'
import { noLeftovers } from './build-context.js'
import { gateWords, ruleWords } from './callback-args.js'
import { useCondition } from './conditions.js'
import { plainObject } from './definition.js'
import { RulebookError, unknownName } from './error.js'
import type { GuaranteeNode, Model, TypeModel } from './model.js'
import { finished } from './normalize.js'
import { recordTerms } from './record-terms.js'

const PARTS = ['never', 'fields', 'provided', 'unless', 'within', 'titled']
const GRANT_PARTS = ['never', 'provided', 'unless', 'titled']
/** How a sentence names what is done to fields. */
const VERBS: { readonly [action: string]: string } = { read: 'sees', create: 'sends', update: 'changes' }

/** Adds the guarantees of record types to the model. @throws RulebookError */
export function withGuarantees(model: Model, given: unknown, ofGrants: unknown = {}): Model {
  const types = { ...model.types }
  for (const [name, callback] of Object.entries(plainObject(given, 'guarantees'))) {
    const type = Object.hasOwn(types, name) ? types[name] : undefined
    if (type === undefined) throw new RulebookError('guarantees', unknownName('record type', name, Object.keys(types)))
    const at = `guarantees of ${name}`
    if (typeof callback !== 'function') throw new RulebookError(at, `needs a function: (${name}, words) => [{ never: 'update', ... }]`)
    const guarantees = noLeftovers(
      at,
      () => callback(recordTerms(types, type), ruleWords(model, type)) as unknown,
      (result) => listOf(result, at).map((one, index) => readGuarantee(model, type, one, `${at}[${index}]`)),
    )
    types[name] = Object.freeze({ ...type, guarantees: together(type.guarantees, guarantees, at) })
  }
  const grants = Object.entries(plainObject(ofGrants, 'guarantees', ['privileges', 'routines'])).flatMap(([kind, callback]) =>
    grantGuarantees(model, kind as 'privileges' | 'routines', callback),
  )
  const all = grants.length === 0 ? {} : { guarantees: together(model.guarantees, grants, 'guarantees') }
  return Object.freeze({ ...model, ...all, types: Object.freeze(types) })
}

/** All of them, each with a title of its own. */
function together(before: readonly GuaranteeNode[] = [], more: readonly GuaranteeNode[], at: string): readonly GuaranteeNode[] {
  const all = [...before, ...more]
  const twice = all.find(({ title }, place) => all.findIndex((other) => other.title === title) !== place)
  if (twice === undefined) return Object.freeze(all)
  throw new RulebookError(at, `"${twice.title}" occurs twice: remove one, or give it another name with titled: '...'`)
}

function grantGuarantees(model: Model, kind: 'privileges' | 'routines', callback: unknown): GuaranteeNode[] {
  const at = `guarantees, ${kind}`
  const of = kind === 'privileges' ? 'privilege' : 'routine'
  if (typeof callback !== 'function') throw new RulebookError(at, "needs a function: ({ role }) => [{ never: '...', unless: role('...') }]")
  return noLeftovers(
    at,
    () => (callback as (words: object) => unknown)(gateWords(model)),
    (result) =>
      listOf(result, at).map((one, index) => {
        const place = `${at}[${index}]`
        const { never, provided, unless, titled } = plainObject(one, place, GRANT_PARTS)
        if (typeof never !== 'string' || !Object.hasOwn(model[kind], never))
          throw new RulebookError(`${place}, never`, unknownName(of, never, Object.keys(model[kind])))
        const { where, except, title } = said({ provided, unless, titled }, never, place)
        const what = of === 'privilege' ? `has the privilege ${never}` : `calls ${never}`
        return Object.freeze({
          title: title ?? sentence(what, where, except),
          never,
          of,
          provided: where,
          ...(except ? { unless: except } : {}),
        })
      }),
  )
}

/** Where it has to hold, its exception, and its name. */
function said(
  { provided, unless, titled }: { readonly provided: unknown; readonly unless: unknown; readonly titled: unknown },
  never: string,
  at: string,
): { readonly where: ConditionNode; readonly except: ConditionNode | undefined; readonly title: string | undefined } {
  const where = provided === undefined ? TRUE : condition(provided, never, `${at}, provided`)
  const except = unless === undefined ? undefined : condition(unless, never, `${at}, unless`)
  if (titled !== undefined && (typeof titled !== 'string' || titled.trim() === ''))
    throw new RulebookError(`${at}, titled`, 'needs a text: the name that reports use')
  return { where, except, title: titled as string | undefined }
}

function listOf(given: unknown, at: string): readonly unknown[] {
  if (!Array.isArray(given)) throw new RulebookError(at, "must return a list: [{ never: 'update', unless: role('treasurer') }]")
  return given
}

function readGuarantee(model: Model, type: TypeModel, given: unknown, at: string): GuaranteeNode {
  const { never, fields, provided, unless, within, titled } = plainObject(given, at, PARTS)
  if (typeof never !== 'string') throw new RulebookError(at, "say what must never be possible: never: 'update'")
  if (!type.actions.includes(never)) throw new RulebookError(`${at}, never`, unknownName('action', never, type.actions))
  const named = readFields(type, never, fields, `${at}, fields`)
  const { where, except, title } = said({ provided, unless, titled }, never, at)
  if (within !== undefined && within !== false && (typeof within !== 'string' || !Object.hasOwn(model.routines, within)))
    throw new RulebookError(`${at}, within`, unknownName('routine', within, Object.keys(model.routines)))
  const inside = within === undefined ? '' : within === false ? ' outside of routines' : ` within ${within}`
  return Object.freeze({
    title: title ?? titleOf(type, never, named, inside, where, except),
    never,
    ...(within === undefined ? {} : { within: within as string | false }),
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
  inside: string,
  provided: ConditionNode,
  unless: ConditionNode | undefined,
): string {
  const what = fields === undefined ? `${action}s a ${name}` : `${VERBS[action]} ${fields.join(', ')} of a ${name}`
  return sentence(`${what}${inside}`, provided, unless, `the ${name}`)
}

function sentence(what: string, provided: ConditionNode, unless: ConditionNode | undefined, record = 'the record'): string {
  const wording = { record }
  const where = provided === TRUE ? '' : ` where ${describe(provided, wording)}`
  return `nobody ${what}${where}${unless === undefined ? '' : `, unless ${describe(unless, wording)}`}`
}
