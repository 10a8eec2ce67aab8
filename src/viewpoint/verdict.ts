import type { Key, TypeModel } from '../rulebook/index.js'

/** The outcome of a question. The asker learns the first of the three refusals that applies, in this order. */
export type Outcome = 'allowed' | 'sign in' | 'not found' | 'refused'

/** The answer to one question. It can be shown to the asker: it contains no value of the record except its key. */
export interface Verdict {
  readonly allowed: boolean
  readonly outcome: Outcome
  readonly action: string
  readonly type: string
  readonly key?: Key
  /** The title of the clause that allows it. */
  readonly clause?: string
  /** The fields that may be seen, sent or changed, besides the key; undefined for all of them. */
  readonly fields?: readonly string[]
  /** The message for the asker, if it was not allowed. */
  readonly message?: string
}

/** Further details of a verdict: the clause and its fields if allowed, or a veto's message if not. */
export interface VerdictDetails {
  readonly clause?: string | undefined
  readonly fields?: readonly string[] | undefined
  readonly message?: string | undefined
}

/** Creates a verdict from an outcome. */
export function verdictOf(type: TypeModel, action: string, outcome: Outcome, key?: Key, details: VerdictDetails = {}): Verdict {
  const { clause, fields, message = sentence(type, action, outcome) } = details
  const about = { outcome, action, type: type.name, ...(key === undefined ? {} : { key }) }
  if (outcome !== 'allowed') return Object.freeze({ allowed: false, ...about, message })
  return Object.freeze({ allowed: true, ...about, ...(clause === undefined ? {} : { clause }), ...(fields ? { fields } : {}) })
}

/** The message for a person whose change was refused only because of some fields. It names the fields that they sent. */
export function fieldMessage(action: string, fields: readonly string[]): string {
  return `You may not ${action === 'create' ? 'send' : 'change'} ${fields.join(', ')}.`
}

function sentence(type: TypeModel, action: string, outcome: Outcome): string {
  if (outcome === 'sign in') return `Sign in to ${action} ${article(type.name)}.`
  if (outcome === 'not found') return `There is no such ${type.name}.`
  return type.rules?.messages[action] ?? `You may not ${action} ${action === 'create' ? article(type.name) : `this ${type.name}`}.`
}

/** A name with its article. */
export function article(name: string): string {
  return `${/^[aeiou]/i.test(name) ? 'an' : 'a'} ${name}`
}
