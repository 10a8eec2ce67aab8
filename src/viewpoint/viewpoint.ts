import {
  allOfNode,
  type ConditionNode,
  type Env,
  FALSE,
  frozen,
  type Links,
  newContext,
  predicate,
  type Row,
  simplify,
  specialised,
} from '../condition/index.js'
import {
  type Action,
  knownAction,
  type Model,
  type RowOf,
  type SeenRow,
  type TypeName,
  typeModel,
  UnknownNameError,
  type World,
} from '../rulebook/index.js'
import { ClockError, RecordError } from './error.js'
import { isLimited, visibleFields, withFields } from './fields.js'
import { explainGrant, type GrantExplanation, type GrantKind } from './grants.js'
import { judge, type Question } from './judge.js'
import { holds, mayFor, type PersonalRules, readyRules, type Specialised, specialise, testOf, unspecialised } from './specialise.js'
import { stampedRecord } from './stamps.js'
import type { Outcome, Verdict } from './verdict.js'
import { type Explanation, explain } from './why.js'

/** The time: an instant, or a function that returns one for each operation. Default: the system clock. */
export type Clock = Date | (() => Date)

/** A rulebook specialised for one person. Immutable; make one per request. */
export interface Viewpoint<W extends World = World> {
  /** The claims of the person; null for a visitor. */
  readonly me: W['me'] | null

  /**
   * May this person do this to this record? For `update`, pass the record as it would become in `becomes`. Without it,
   * the question is whether any update clause holds on the record as it is.
   *
   * @example
   * book.for(ines).verdict('update', 'plot', plot).allowed
   */
  verdict<K extends TypeName<W>>(action: Action | W['actions'][K], type: K, record: RowOf<W, K>, becomes?: RowOf<W, K>): Verdict

  /**
   * The answer before any record is loaded: may this person do this to records of the type always, never, or
   * depending on the record? For menus and pages; for a record, use `verdict`.
   */
  may<K extends TypeName<W>>(action: Action | W['actions'][K], type: K): 'always' | 'never' | 'depending'

  /** Whether this person has a privilege. */
  has(privilege: W['privilege']): boolean

  /** The records on which this person may do the action, in the given order. Hidden fields are absent. */
  filter<K extends TypeName<W>, R extends RowOf<W, K>>(
    type: K,
    records: readonly R[],
    action?: Exclude<Action | W['actions'][K], 'create'>,
  ): SeenRow<W, K, R>[]

  /** Explains a verdict. For developers: never send it to a client. */
  why<K extends TypeName<W>>(action: Action | W['actions'][K], type: K, record: RowOf<W, K>, becomes?: RowOf<W, K>): Explanation

  /** What remains of the rules for this person: a condition on the record alone. */
  condition<K extends TypeName<W>>(action: Action | W['actions'][K], type: K): ConditionNode
}

/** A viewpoint as the other layers use it. */
export interface InnerViewpoint extends Viewpoint {
  readonly model: Model
  rules(type: string, action: string): PersonalRules
  env(): Env
  /** The standings of a record type, specialised for this person. */
  standings(type: string): readonly { readonly name: string; readonly when: ConditionNode }[]
  /** Whether this person may call a routine. */
  mayCall(routine: string): boolean
  /** Why this person has a privilege or may call a routine, or not. */
  whyGranted(kind: GrantKind, name: string): GrantExplanation
  /** The outcome that follows from type and action alone: `sign in`, or undefined if the record decides. */
  decideWithoutRecord(type: string, action: string): Outcome | undefined
}

/** The options of a viewpoint, besides the person. */
export interface ViewpointOptions {
  readonly now?: Clock | undefined
  /** Finds linked records. */
  readonly links?: Links | undefined
  /** The routine within which the person acts, and which they may call. */
  readonly within?: string | undefined
  /** What was worked out before for the same claims and routine. */
  readonly before?: Specialised
}

/** Specialises a rulebook for checked claims, including the linked records that the rules read. */
export function viewpointOf(model: Model, me: Row | null, { now: clock, links, within, before }: ViewpointOptions = {}): InnerViewpoint {
  const { who, rules: cache, standings } = before ?? unspecialised(me)
  const ready = readyRules(model)

  function rules(type: string, action: string): PersonalRules {
    let ofType = cache.get(type)
    const { actions } = typeModel(model, type)
    if (ofType === undefined) {
      ofType = []
      cache.set(type, ofType)
    }
    const at = actions.indexOf(action)
    if (at < 0) knownAction(typeModel(model, type), action)
    let found = ofType[at]
    if (found === undefined) {
      found = specialise(ready.get(type)?.[at], who, action === 'read' || action === 'create' ? undefined : rules(type, 'read'), within)
      ofType[at] = found
    }
    return found
  }

  function env(): Env {
    const time = clock === undefined ? Date.now() : (typeof clock === 'function' ? clock() : clock).getTime()
    if (!Number.isFinite(time)) throw new ClockError()
    return { me, now: time, links, context: newContext() }
  }

  function granted(what: string, grants: Model['privileges'], name: string): boolean {
    const condition = typeof name === 'string' && Object.hasOwn(grants, name) ? grants[name] : undefined
    if (condition === undefined) throw new UnknownNameError(what, name, Object.keys(grants))
    return predicate(specialised(allOfNode(model.gate === undefined ? [condition] : [model.gate, condition]), who))({}, env())
  }

  function decideWithoutRecord(type: string, action: string): Outcome | undefined {
    return me === null && rules(type, action).when === FALSE ? 'sign in' : undefined
  }

  const view = { model, rules, decideWithoutRecord }
  const questionOf = (action: string, type: string, record: Row, becomes: Row | undefined): Question => ({
    action: knownAction(typeModel(model, type), action),
    type,
    record: checkRecord(type, record),
    becomes,
  })
  return Object.freeze({
    ...view,
    me,
    env,
    verdict: (action: string, type: string, record: Row, becomes?: Row) => judge(view, questionOf(action, type, record, becomes), env()),
    filter: (type: string, records: readonly Row[], action: string = 'read') => filterBy(view, type, records, action, env()),
    why(action: string, type: string, record: Row, becomes?: Row) {
      const at = env()
      const verdict = judge(view, questionOf(action, type, record, becomes), at)
      const finished = action === 'create' ? stampedRecord(typeModel(model, type), record, at) : record
      const readable = holds(rules(type, 'read'), record, at)
      return explain({ verdict, model, record: finished, env: at, becomes, readable, within })
    },
    may: (action: string, type: string) => mayFor(rules(type, action)),
    has: (privilege: string) => granted('privilege', model.privileges, privilege),
    mayCall: (routine: string) => granted('routine', model.routines, routine),
    whyGranted: (kind: GrantKind, name: string) => explainGrant(model, kind, name, env()),
    standings(type: string) {
      let known = standings.get(type)
      if (known === undefined) {
        known = Object.entries(typeModel(model, type).standings).map(([name, node]) => ({ name, when: simplify(node, me) }))
        standings.set(type, known)
      }
      return known
    },
    condition: (action: string, type: string) => frozen(rules(type, action).when),
  }) as InnerViewpoint
}

function checkRecord(type: string, record: Row): Row {
  if (typeof record !== 'object' || record === null) throw new RecordError(type, record)
  return record
}

/** The records on which an action is allowed, with their visible fields. */
function filterBy(
  { model, rules }: Pick<InnerViewpoint, 'model' | 'rules'>,
  type: string,
  records: readonly Row[],
  action: string,
  at: Env,
): Row[] {
  const test = testOf(rules(type, action))
  const known = typeModel(model, type)
  const read = rules(type, 'read').clauses
  const limited = isLimited(read)
  const kept: Row[] = []
  for (let index = 0; index < records.length; index++) {
    const record = records[index] as Row
    if (typeof record !== 'object' || record === null) throw new RecordError(type, record)
    if (test(record, at)) kept.push(limited ? withFields(known, record, visibleFields(known, read, record, at)) : record)
  }
  return kept
}
