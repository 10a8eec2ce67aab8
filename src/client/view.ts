import { type KnownRecord, PachterError, type Row } from '../condition/index.js'
import { keyText } from '../rulebook/key-text.js'
import type { TypeName, World } from '../rulebook/types.js'
import { article, fieldMessage } from '../viewpoint/verdict.js'
import { type Answer, type AskContext, ask, combined } from './ask.js'
import type { PageAction as ActionIn, PageField, PageRecord, WorldIn } from './page-types.js'
import type { PageAction, PageClause, PageRules, PageType } from './rules.js'

/** What the page knows besides the record. */
export interface VerdictOptions<W extends World = World, K extends TypeName<W> = TypeName<W>> {
  /** The changes that an update would send. */
  readonly changes?: PageRecord<W, K>
  /** Linked records, as far as the page has them. */
  readonly linked?: { readonly [L in TypeName<W>]?: readonly PageRecord<W, L>[] | undefined }
  /**
   * The record has all fields that the person can see: it was not requested with `fields`. Absent fields are then missing,
   * and otherwise unknown.
   */
  readonly whole?: boolean
  /** The time. Default: now. */
  readonly now?: Date
}

/** The answer to one question in the page. `ask the server` is no permission. */
export interface PageVerdict<F extends string = string> {
  /** True only if it is certainly allowed. */
  readonly allowed: boolean
  readonly outcome: 'allowed' | 'refused' | 'sign in' | 'not found' | 'invalid' | 'ask the server'
  /** The fields that are certainly visible, or may certainly be sent or changed, besides the key; undefined for all of them. */
  readonly fields?: readonly F[]
  /** The message for the person, if it was not allowed. */
  readonly message?: string
}

/** The rules of one person in a page, with the same questions as on the server. W is the world of the rulebook, if its type is known. */
export interface PageView<W extends World = World> {
  /** The key of the person; null for a visitor. */
  readonly me: string | number | null
  /** Who acts as this person, if that is another person. */
  readonly act?: PageRules['act']
  readonly signIn: string | undefined
  /** The answer before there is a record: always, never, or depending on the record. For menus and pages. */
  may<K extends TypeName<W>>(action: ActionIn<W, K>, type: K): 'always' | 'never' | 'depending'
  /**
   * May this person do this to this record? For `create`, pass the record that would be sent.
   *
   * @example
   * view.verdict('update', 'plot', plot, { changes: { planting: 'leeks' } }).allowed
   */
  verdict<K extends TypeName<W>>(
    action: ActionIn<W, K>,
    type: K,
    record: PageRecord<W, K>,
    options?: VerdictOptions<W, K>,
  ): PageVerdict<PageField<W, K>>
  /** The fields of a record that an update may certainly change. For forms. */
  fields<K extends TypeName<W>>(
    action: ActionIn<W, K>,
    type: K,
    record: PageRecord<W, K>,
    options?: VerdictOptions<W, K>,
  ): readonly PageField<W, K>[]
  /** The message for a refused action, unless a veto has its own message. */
  message<K extends TypeName<W>>(action: ActionIn<W, K>, type: K): string
  /** The key of a record, as in its address: one text for a key of several fields. */
  keyOf<K extends TypeName<W>>(type: K, record: PageRecord<W, K>): string | number
  has(privilege: W['privilege']): boolean
  mayCall(routine: W['routine']): boolean
}

/** The page rules have another format than this client reads, or do not contain the record type. */
export class PageRulesError extends PachterError {
  constructor(message: string) {
    super('BAD_PAGE_RULES', message)
  }
}

/** Makes a view from page rules. @throws PageRulesError if they are invalid */
export function pageView<B = never>(rules: PageRules): PageView<WorldIn<B>> {
  if (rules?.['pachter rules'] !== 1) throw new PageRulesError('these are not page rules of version 1')
  const typeOf = (name: string): PageType => {
    const type = Object.hasOwn(rules.types, name) ? rules.types[name] : undefined
    if (type === undefined) throw new PageRulesError(`no record type "${name}", only ${Object.keys(rules.types)}`)
    return type
  }
  const actionOf = (type: PageType, action: string): PageAction | undefined =>
    Object.hasOwn(type.actions, action) ? type.actions[action] : undefined

  const message = (action: string, name: string) =>
    typeOf(name).messages?.[action] ?? `You may not ${action} ${action === 'create' ? article(name) : `this ${name}`}.`

  function verdict(action: string, name: string, given: object, options: VerdictOptions = {}): PageVerdict {
    const type = typeOf(name)
    const rule = actionOf(type, action)
    if (rule === undefined && rules.me === null) return no('sign in', `Sign in to ${action} ${article(name)}.`)
    const refused = (words?: string) => no('refused', words ?? message(action, name))
    const asked = askedOf(type, action, given as Row, options)
    const readable = action === 'create' ? true : readableBy(actionOf(type, 'read'), asked)
    if (readable === false) return no('not found', `There is no such ${name}.`)
    if (rule === undefined) return refused()
    const changes = action === 'update' ? (options.changes as Row | undefined) : action === 'create' ? (given as Row) : undefined
    return byRule(rule, { type, action, asked, changes, readable, refused })
  }

  return Object.freeze({
    me: rules.me,
    act: rules.act,
    signIn: rules.signIn,
    may(action: string, type: string) {
      const rule = actionOf(typeOf(type), action)
      if (rule === undefined) return 'never'
      const read = action === 'create' ? undefined : actionOf(typeOf(type), 'read')
      const isAlways = (one: PageAction | undefined) => (!one?.open || isTrue(one.open)) && one?.clauses.some(({ when }) => isTrue(when))
      return isAlways(rule) && (action === 'create' || isAlways(read)) ? 'always' : 'depending'
    },
    verdict,
    fields(action: string, name: string, record: object, options?: VerdictOptions) {
      const type = typeOf(name)
      const { allowed, fields } = verdict(action, name, record, options)
      return allowed ? (fields ?? type.fields.filter((field) => !isKept(type, action, field))) : []
    },
    message,
    keyOf(type: string, record: object) {
      const { key } = typeOf(type)
      return typeof key === 'string' ? (record as Row)[key] : keyText(key, record as Row)
    },
    has: (privilege: string) => rules.privileges.includes(privilege),
    mayCall: (routine: string) => rules.routines.includes(routine),
  }) as PageView as PageView<WorldIn<B>>
}

/** What to ask about a rule once the record is known to be visible. */
interface Question {
  readonly type: PageType
  readonly action: string
  readonly asked: AskContext
  /** The fields to be sent. */
  readonly changes: Row | undefined
  readonly readable: Answer
  readonly refused: (message?: string) => PageVerdict
}

function byRule(rule: PageAction, { type, action, asked, changes, readable, refused }: Question): PageVerdict {
  const open = openBy(rule, asked)
  if (open === false) return refused(vetoSaying(rule, asked))
  const isUpdate = action === 'update' && changes !== undefined
  const becomes = isUpdate && asked.after !== undefined ? { ...asked, record: asked.after } : undefined
  const kept = rule.gate === undefined || becomes === undefined ? true : ask(rule.gate, becomes)
  if (kept === false) return refused(becomes && vetoSaying(rule, becomes))
  const answers = rule.clauses.map((clause) => counts(clause, asked, isUpdate))
  const certain = rule.clauses.filter((_, at) => answers[at] === true)
  const hopeful = rule.clauses.filter((_, at) => answers[at] !== false)
  if (hopeful.length === 0 && rule.ask === undefined) return refused()
  const sent = changes === undefined ? [] : fieldsRefused(type, action, hopeful, asked, changes, 'maybe the same')
  if (sent.length > 0 && rule.ask === undefined) return refused(fieldMessage(action, sent))
  const fields = fieldsOf(type, action, certain)
  const isReady = changes === undefined || fieldsRefused(type, action, certain, asked, changes, 'another').length === 0
  const told = fields === undefined ? {} : { fields }
  if (certain.length > 0 && open === true && kept === true && readable === true && isReady)
    return Object.freeze({ allowed: true, outcome: 'allowed', ...told })
  return Object.freeze({ ...no('ask the server', 'Only the server can tell.'), ...told })
}

/** The message of the first veto that certainly holds. */
function vetoSaying({ vetoes }: PageAction, asked: AskContext): string | undefined {
  return vetoes?.find(({ when }) => ask(when, asked) === true)?.message
}

const isTrue = (node: { readonly kind: string }) => node.kind === 'constant' && (node as { value?: boolean }).value === true

/** A verdict that does not allow the action. */
export function no(outcome: PageVerdict['outcome'], message: string): PageVerdict {
  return Object.freeze({ allowed: false, outcome, message })
}

function openBy({ open }: PageAction, asked: AskContext): Answer {
  return open === undefined ? true : ask(open, asked)
}

function readableBy(read: PageAction | undefined, asked: AskContext): Answer {
  if (read === undefined) return false
  const seen = read.clauses.map(({ when }) => ask(when, asked))
  return combined([openBy(read, asked), combined(seen, true)])
}

function counts(clause: PageClause, asked: AskContext, changing: boolean): Answer {
  const before = ask(clause.when, asked)
  return changing ? combined([before, ask(clause.afterwards ?? clause.when, { ...asked, record: asked.after })]) : before
}

/** Combines what the page knows: the record, the changed record, and the visible fields. */
function askedOf(
  type: PageType,
  action: string,
  given: Row,
  { changes, linked = {}, whole = false, now = new Date() }: VerdictOptions,
): AskContext {
  const common = { now: now.getTime(), linked: linked as AskContext['linked'] }
  const stampsOf = (which: 'create' | 'update') => Object.entries(type.stamps?.[which] ?? {})
  const stamps = (which: 'create' | 'update'): Row =>
    Object.fromEntries(
      stampsOf(which).flatMap(([name, stamp]) => ('ask' in stamp ? [] : [[name, 'now' in stamp ? now.toISOString() : stamp.value]])),
    )
  // The server will stamp these fields. Their values are unknown here, whatever the record holds now.
  const unknown = (which: 'create' | 'update') => stampsOf(which).flatMap(([name, stamp]) => ('ask' in stamp ? [name] : []))
  if (action === 'create') {
    // For a create, every field is known except the key.
    const record: KnownRecord = {
      row: { ...stamps('create'), ...given },
      isMissing: (field) => field !== type.key && !unknown('create').includes(field),
    }
    return { ...common, record, after: record }
  }
  const bare: KnownRecord = { row: given, isMissing: () => false }
  const record: KnownRecord = whole ? { row: given, isMissing: seenOf(type, { ...common, record: bare, after: bare }) } : bare
  if (changes === undefined) return { ...common, record, after: record }
  const later = unknown('update')
  const kept = Object.fromEntries(Object.entries(given).filter(([name]) => !later.includes(name)))
  const after: KnownRecord = {
    row: { ...kept, ...stamps('update'), ...changes },
    isMissing: (field) => !later.includes(field) && record.isMissing(field),
  }
  return { ...common, record, after }
}

/** The fields that the person certainly sees. If such a field is absent from the record, it is missing. */
function seenOf({ key, fields: all, actions: { read } }: PageType, asked: AskContext): (field: string) => boolean {
  let seen = new Set<string>([key].flat())
  // Whether one field is visible may depend on another visible field.
  for (let before = 0; read !== undefined && before < seen.size; ) {
    before = seen.size
    const known: KnownRecord = { row: asked.record.row, isMissing: (field) => seen.has(field) }
    const clauses = read.clauses.filter(({ when }) => ask(when, { ...asked, record: known, after: known }) === true)
    seen = new Set([...seen, ...clauses.flatMap(({ fields }) => fields ?? all)])
  }
  return (field) => seen.has(field)
}

function fieldsOf(type: PageType, action: string, clauses: readonly PageClause[]): readonly string[] | undefined {
  if (clauses.some(({ fields }) => fields === undefined)) return undefined
  return type.fields.filter((name) => !isKept(type, action, name) && clauses.some(({ fields }) => fields?.includes(name)))
}

/** Fields that were sent beyond those allowed, and that do not just repeat the stored value. */
function fieldsRefused(
  type: PageType,
  action: string,
  clauses: readonly PageClause[],
  { record }: AskContext,
  sent: Row,
  unknown: 'maybe the same' | 'another',
): string[] {
  const let_ = fieldsOf(type, action, clauses)
  const stamps = type.stamps?.[action as 'create'] ?? {}
  return Object.keys(sent).filter((name) => {
    if (action === 'update') {
      // Sending the stored value is not a change. For a field that the page does not have, this is unknown.
      const there = Object.hasOwn(record.row, name) || record.isMissing(name)
      if (there ? same(record.row[name], sent[name]) : unknown === 'maybe the same') return false
    }
    if (clauses.some(({ overriding }) => overriding?.includes(name))) return false
    const stamp = Object.hasOwn(stamps, name) ? stamps[name] : undefined
    if (stamp !== undefined) return 'ask' in stamp ? unknown === 'another' : !('value' in stamp && same(stamp.value, sent[name]))
    return isKept(type, action, name) || (let_ !== undefined && !let_.includes(name))
  })
}

/** Whether nobody sends the field: it is the key. When a record is created, the fields of a key of several are sent like others. */
function isKept({ key }: PageType, action: string, name: string): boolean {
  return action === 'create' ? name === key : [key].flat().includes(name)
}

function same(a: unknown, b: unknown): boolean {
  return JSON.stringify(a ?? null) === JSON.stringify(b ?? null)
}
