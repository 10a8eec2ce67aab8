import {
  allOfNode,
  type ConditionNode,
  type Env,
  FALSE,
  frozen,
  isMissing,
  type Links,
  newContext,
  person,
  predicate,
  type Row,
  simplify,
} from '../condition/index.js'
import {
  type Action,
  type Key,
  knownAction,
  type Model,
  type RowOf,
  type SeenRow,
  sameValue,
  type TypeModel,
  type TypeName,
  typeModel,
  UnknownNameError,
  type World,
} from '../rulebook/index.js'
import { ClockError, RecordError } from './error.js'
import { changedFields, fieldsInTheWay, fieldsLetBy, isLimited, visibleFields, withFields } from './fields.js'
import { explainGrant, type GrantExplanation, type GrantKind } from './grants.js'
import { counts, holds, mayFor, type PersonalClause, type PersonalRules, readyRules, sayingOf, specialise, testOf } from './specialise.js'
import { stampedRecord, stampValues } from './stamps.js'
import { fieldSaying, type Outcome, type Verdict, verdictOf } from './verdict.js'
import { type Explanation, explain } from './why.js'

/** How to tell the time: an instant, or a function that gives one per operation. Default: the clock. */
export type Clock = Date | (() => Date)

/** A rulebook specialised for one person. Immutable; make one per request. */
export interface Viewpoint<W extends World = World> {
  /** The claims that the rules are given; null for a visitor. */
  readonly me: W['me'] | null

  /**
   * May this person do this to this record? For `update`, `becomes` is the record as it would be afterwards; without it
   * the question is whether any update clause holds on the record as it is.
   *
   * @example
   * book.for(ines).verdict('update', 'plot', plot).allowed
   */
  verdict<K extends TypeName<W>>(action: Action | W['actions'][K], type: K, record: RowOf<W, K>, becomes?: RowOf<W, K>): Verdict

  /**
   * What can be said before any record is loaded: may this person do this to records of the type always, never, or
   * depending on the record? For menus and pages; a record is judged by `verdict`.
   */
  may<K extends TypeName<W>>(action: Action | W['actions'][K], type: K): 'always' | 'never' | 'depending'

  /** Whether this person has a privilege. */
  has(privilege: W['privilege']): boolean

  /** The records on which this person may do the action, in the order given. Fields that they may not see are absent. */
  filter<K extends TypeName<W>, R extends RowOf<W, K>>(
    type: K,
    records: readonly R[],
    action?: Exclude<Action | W['actions'][K], 'create'>,
  ): SeenRow<W, K, R>[]

  /** Why a verdict is what it is. For developers: never send it to a client. */
  why<K extends TypeName<W>>(action: Action | W['actions'][K], type: K, record: RowOf<W, K>, becomes?: RowOf<W, K>): Explanation

  /** What is left of the rules for this person: a condition on the record alone. */
  condition<K extends TypeName<W>>(action: Action | W['actions'][K], type: K): ConditionNode
}

/** A viewpoint as the other layers see it. */
export interface InnerViewpoint extends Viewpoint {
  readonly model: Model
  rules(type: string, action: string): PersonalRules
  env(): Env
  /** The standings of a record type, as they stand for this person. */
  standings(type: string): readonly { readonly name: string; readonly when: ConditionNode }[]
  /** Whether this person may call a routine. */
  mayCall(routine: string): boolean
  /** Why this person has a privilege or may call a routine, or not. */
  whyGranted(kind: GrantKind, name: string): GrantExplanation
  /** The outcome that is decided by type and action alone: `sign in`, or undefined where the record has to be asked. */
  outright(type: string, action: string): Outcome | undefined
}

/** What a viewpoint is told besides whose it is. */
export interface ViewpointOptions {
  readonly now?: Clock | undefined
  /** Where linked records are found. */
  readonly links?: Links | undefined
  /** The routine within which the person acts, and which they may call. */
  readonly within?: string | undefined
}

/**
 * Specialises a rulebook for claims that have been checked already, and to which the linked records that the rules ask about
 * have been added.
 */
export function viewpointOf(model: Model, me: Row | null, { now: clock, links, within }: ViewpointOptions = {}): InnerViewpoint {
  const who = person(me)
  const ready = readyRules(model)
  const cache = new Map<string, (PersonalRules | undefined)[]>()
  const standings = new Map<string, readonly { readonly name: string; readonly when: ConditionNode }[]>()

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
    return predicate(allOfNode(model.gate === undefined ? [condition] : [model.gate, condition]))({}, env())
  }

  function outright(type: string, action: string): Outcome | undefined {
    return me === null && rules(type, action).when === FALSE ? 'sign in' : undefined
  }

  function verdict(action: string, typeName: string, given: Row, becomes: Row | undefined, at: Env): Verdict {
    const type = typeModel(model, typeName)
    const record = action === 'create' ? stampedRecord(type, given, at) : given
    const judged = outright(typeName, action)
    const key = keyOf(type, record)
    if (judged !== undefined) return verdictOf(type, action, judged, key)
    if (action !== 'create' && !holds(rules(typeName, 'read'), record, at)) return verdictOf(type, action, 'not found', key)
    const mine = rules(typeName, action)
    if (!holds(mine.open, record, { ...at, after: becomes })) {
      return verdictOf(type, action, 'refused', key, { saying: sayingOf(mine, record, { ...at, after: becomes }) })
    }
    if (action === 'update' && becomes !== undefined && !holds(mine.gate, becomes, { ...at, after: becomes }))
      return verdictOf(type, action, 'refused', key, { saying: sayingOf(mine, becomes, { ...at, after: becomes }) })
    const holding = mine.clauses.filter((clause) =>
      becomes === undefined ? holds(clause, record, at) : counts(clause, record, becomes, at),
    )
    const fields = fieldsLetBy(type, holding)
    if (holding.length === 0 || (action === 'create' && lacksStamp(type, given, at))) return verdictOf(type, action, 'refused', key)
    const inTheWay =
      action === 'create'
        ? sentBeyond(type, holding, given, at)
        : becomes === undefined
          ? []
          : changedBeyond(type, record, becomes, fields, at)
    if (inTheWay.length > 0) return verdictOf(type, action, 'refused', key, { saying: fieldSaying(action, inTheWay) })
    return verdictOf(type, action, 'allowed', key, { clause: holding[0]?.clause.title, fields })
  }

  /** What was given of stamped fields, though no clause lets give it and the stamp would be another. */
  function sentBeyond(type: TypeModel, holding: readonly PersonalClause[], given: Row, at: Env): string[] {
    return Object.entries(stampValues(type, 'create', at)).flatMap(([name, stamp]) => {
      if (isMissing(given[name], 'other') || holding.some(({ clause }) => clause.supplying?.includes(name))) return []
      return sameValue(type.fields[name], given[name], stamp) ? [] : [name]
    })
  }

  /** Whether a stamp has no value, and nothing else was given. */
  function lacksStamp(type: TypeModel, given: Row, at: Env): boolean {
    const stamps = Object.entries(stampValues(type, 'create', at))
    return stamps.some(([name, stamp]) => isMissing(stamp, 'other') && isMissing(given[name], 'other'))
  }

  /** The fields in which a record would come to differ although the clauses do not let them change. */
  function changedBeyond(type: TypeModel, record: Row, becomes: Row, changeable: readonly string[] | undefined, at: Env): string[] {
    if (record[type.key] !== becomes[type.key]) return [type.key]
    const visible = visibleFields(type, rules(type.name, 'read').clauses, record, at)
    const changes = changedFields(type, record, becomes).map((name) => [name, becomes[name]])
    return fieldsInTheWay(type, changeable, visible, record, Object.fromEntries(changes))
  }

  return Object.freeze({
    me: me as never,
    model,
    rules,
    env,
    outright,
    verdict: (action: string, type: string, record: Row, becomes?: Row) =>
      verdict(knownAction(typeModel(model, type), action), type, checkRecord(type, record), becomes, env()),
    filter(type: string, records: readonly Row[], action: string = 'read') {
      const test = testOf(rules(type, action))
      const known = typeModel(model, type)
      const read = rules(type, 'read').clauses
      const limited = isLimited(read)
      const at = env()
      const kept: Row[] = []
      for (let index = 0; index < records.length; index++) {
        const record = records[index] as Row
        if (typeof record !== 'object' || record === null) throw new RecordError(type, record)
        if (test(record, at)) kept.push(limited ? withFields(known, record, visibleFields(known, read, record, at)) : record)
      }
      return kept
    },
    why(action: string, type: string, record: Row, becomes?: Row) {
      const at = env()
      const answer = verdict(knownAction(typeModel(model, type), action), type, checkRecord(type, record), becomes, at)
      const finished = action === 'create' ? stampedRecord(typeModel(model, type), record, at) : record
      return explain({
        verdict: answer,
        model,
        record: finished,
        env: at,
        becomes,
        readable: holds(rules(type, 'read'), record, at),
        within,
      })
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

function keyOf(type: TypeModel, record: Row): Key | undefined {
  const key = record[type.key]
  return typeof key === 'string' || typeof key === 'number' ? key : undefined
}

function checkRecord(type: string, record: Row): Row {
  if (typeof record !== 'object' || record === null) throw new RecordError(type, record)
  return record
}
