import { type ConditionNode, describe, jsonText, type RecordRef, type Row, type Trace, trace } from '../../condition/index.js'
import { type ClauseNode, isKeyField, type Model, type TypeModel, typeModel } from '../../rulebook/index.js'
import { stampValues } from '../../viewpoint/index.js'
import type { Expectation, FieldsExpectation, TryExpectation } from '../expectations/expectation.js'
import { isTrue } from '../mutants/weaken.js'
import type { Ground } from '../scenario.js'
import { type Refs, standingOf } from '../standing-of.js'

/** One part of a rulebook with two possible results, and how often each occurred. */
export interface CoveragePoint {
  /** The record type; absent for the gate of the rulebook, privileges and routines. */
  readonly type?: string
  /** The rule: "update, holder; only planting", "standing holder". */
  readonly rule: string
  /** The part: the rule itself, a part of its condition, its limit, or a stamp. */
  readonly text: string
  /** The depth in the rule: 0 is the rule itself. */
  readonly depth: number
  /** The names of the two results. */
  readonly outcomes: readonly [string, string]
  /** How often each occurred. */
  readonly counts: readonly [number, number]
}

/** Which rules the expectations exercised. */
export interface Coverage {
  readonly points: readonly CoveragePoint[]
  /** The number of questions (person, action, record) that the expectations ask. */
  readonly questions: number
}

const HELD = ['held', 'failed'] as const
const VETOED = ['refused', 'passed'] as const
const LIMITED = ['allowed', 'refused'] as const
const STAMPED = ['stamped', 'overridden'] as const

interface Counted extends Omit<CoveragePoint, 'counts'> {
  readonly counts: [number, number]
}

/**
 * Measures which clauses, gates, vetoes, limits, stamps and parts of conditions the expectations exercise, and with which results. Each
 * question of an expectation is judged part by part.
 */
export function coverageOf(ground: Ground, expectations: readonly Expectation[]): Coverage {
  const points = pointsOf(ground.model)
  const asked = new Set<string>()
  for (const one of expectations) exercise(one.at === undefined ? ground : ground.asOf(one.at), one, points, asked)
  return { points: [...points.values()], questions: asked.size }
}

type Points = Map<string, Counted>

function pointsOf(model: Model): Points {
  const points = new PointCollector()
  if (model.gate !== undefined) points.condition('gate', model.gate, { rule: 'the gate' })
  for (const kind of ['privileges', 'routines'] as const)
    for (const [name, node] of Object.entries(model[kind]))
      points.condition(`${kind}/${name}`, node, { rule: `${kind.slice(0, -1)} ${name}` })
  for (const type of Object.values(model.types)) points.type(type)
  return points.all
}

interface AboutRule {
  readonly type?: string
  readonly rule: string
}

/** Collects everything that has two possible results. */
class PointCollector {
  readonly all: Points = new Map()

  #put(id: string, point: Omit<Counted, 'counts'>): void {
    this.all.set(id, { ...point, counts: [0, 0] })
  }

  /** A condition and its parts. */
  condition(scope: string, node: ConditionNode, about: AboutRule, outcomes: readonly [string, string] = HELD): void {
    const wording = { record: about.type === undefined ? 'the record' : `the ${about.type}` }
    const standing = node.kind === 'named' && scope.includes('/standing/') ? node.of : undefined
    const meaning = standing === undefined || partsOf(standing).length > 0 ? '' : `: ${describe(standing, wording)}`
    this.#put(`${scope} `, { ...about, text: `${about.rule}${meaning}`, depth: 0, outcomes })
    this.#parts({ scope, about }, standing ?? node, '', 1, wording)
  }

  #parts(
    of: { readonly scope: string; readonly about: AboutRule },
    node: ConditionNode,
    path: string,
    depth: number,
    wording: { readonly record: string; readonly looking?: object },
  ): void {
    for (const { node: inner, step, each } of partsOf(node)) {
      const within = each === undefined ? wording : { ...wording, looking: { ...wording.looking, [each.number]: each.said } }
      const at = `${path}${step}`
      if (!isTrue(inner)) this.#put(`${of.scope} ${at}`, { ...of.about, text: describe(inner, within as never), depth, outcomes: HELD })
      this.#parts(of, inner, at, depth + 1, within)
    }
  }

  /** The rules of a record type. */
  type({ name: type, standings, rules, actions }: TypeModel): void {
    for (const [name, node] of Object.entries(standings))
      this.condition(`${type}/standing/${name}`, node, { type, rule: `standing ${name}` })
    for (const action of actions) {
      const gate = rules?.gates[action]
      if (gate !== undefined) this.condition(`${type}/gate/${action}`, gate, { type, rule: `${action}, the gate` })
      for (const [at, clause] of (rules?.may[action] ?? []).entries())
        this.#clause(`${type}/may/${action}/${at}`, clause, { type, rule: `${action}, ${clause.title}` })
    }
    for (const [at, veto] of (rules?.vetoes ?? []).entries()) {
      const rule = `veto on ${veto.actions.join(', ')}, ${veto.title}`
      this.condition(`${type}/veto/${at}`, veto.when, { type, rule }, VETOED)
    }
    for (const action of ['create', 'update'] as const)
      for (const field of Object.keys(rules?.stamps[action] ?? {})) {
        const rule = `stamp on ${action}, ${field}`
        this.#put(`${type}/stamp/${action}/${field}`, { type, rule, text: rule, depth: 0, outcomes: STAMPED })
      }
  }

  #clause(scope: string, clause: ClauseNode, about: AboutRule): void {
    this.condition(scope, clause.when, about)
    // A clause that allows everyone cannot fail.
    if (isTrue(clause.when)) this.all.delete(`${scope} `)
    if (clause.afterwards !== undefined)
      this.condition(`${scope}/afterwards`, clause.afterwards, { ...about, rule: `${about.rule}: afterwards` })
    if (clause.fields !== undefined) this.#put(`${scope} limit`, { ...about, text: limitText(clause), depth: 1, outcomes: LIMITED })
  }
}

function limitText({ fields = [], limitedBy, title }: ClauseNode): string {
  return /; (only|all but) [^;]*/.exec(title)?.[0].slice(2) ?? `${limitedBy === 'only' ? 'only ' : ''}${fields.join(', ')}`
}

interface Part {
  readonly node: ConditionNode
  readonly step: string
  readonly each?: { readonly number: number; readonly said: string }
}

/** The parts of a condition that have results of their own. A named condition is listed at its definition. */
function partsOf(node: ConditionNode): Part[] {
  switch (node.kind) {
    case 'allOf':
    case 'anyOf':
      return node.of.map((inner, at) => ({ node: inner, step: `/${at}` }))
    case 'not':
      return partsOf(node.of).map((part) => ({ ...part, step: `!${part.step}` }))
    case 'some': {
      const said = node.over.kind === 'elements' ? 'it' : `that ${node.over.type}`
      const each = { number: node.each, said }
      const inner = partsOf(node.of)
      return inner.length === 0 ? [] : inner.map((part) => ({ ...part, step: `~${part.step}`, each }))
    }
    // A named condition is listed at its definition.
    case 'named':
    case 'constant':
    case 'compare':
    case 'presence':
    case 'listChange':
      return []
  }
}

/** Counts the results of a condition and its parts. */
function mark(model: Model, points: Points, scope: string, traced: Trace, refs: Refs): void {
  count(points, `${scope} `, traced.holds)
  const inner = traced.node.kind === 'named' && scope.includes('/standing/') ? (traced.of[0] as Trace) : traced
  walk(model, points, scope, '', inner, refs)
}

function walk(model: Model, points: Points, scope: string, path: string, traced: Trace, refs: Refs): void {
  const { node } = traced
  switch (node.kind) {
    case 'named': {
      const type = standingOf(model, node, refs)
      if (type !== undefined) mark(model, points, `${type}/standing/${node.name}`, traced, new Map([['record', type]]))
      return
    }
    case 'not':
      return walk(model, points, scope, `${path}!`, traced.of[0] as Trace, refs)
    case 'some': {
      const inner = node.over.kind === 'elements' ? refs : new Map(refs).set(node.each, node.over.type)
      for (const one of traced.of) walk(model, points, scope, `${path}~`, one, inner)
      return
    }
    case 'allOf':
    case 'anyOf':
      for (const [at, part] of traced.of.entries()) {
        count(points, `${scope} ${path}/${at}`, part.holds)
        walk(model, points, scope, `${path}/${at}`, part, refs)
      }
      return
    case 'constant':
    case 'compare':
    case 'presence':
    case 'listChange':
      return
  }
}

function count(points: Points, id: string, first: boolean): void {
  const point = points.get(id)
  if (point !== undefined) point.counts[first ? 0 : 1]++
}

function own(type: string): Refs {
  return new Map<RecordRef, string>([
    ['record', type],
    ['after', type],
  ])
}

/** A question: a person, an action, a record as it is, and the changed record. */
interface Question {
  readonly person: string
  readonly action: string
  readonly type: TypeModel
  readonly record: Row
  readonly becomes?: Row | undefined
  readonly within?: string | undefined
}

function exercise(ground: Ground, one: Expectation, points: Points, asked: Set<string>): void {
  const { model } = ground
  const ask = (question: Question, name: string) => {
    const id = `${ground.now.getTime()} ${question.person} ${question.action} ${question.type.name} ${name}`
    if (asked.has(id)) return
    asked.add(id)
    judge(ground, points, question)
    if (question.action !== 'create' && question.action !== 'read')
      ask({ ...question, action: 'read', becomes: undefined }, name.split(' ')[0] as string)
  }
  if (!('type' in one)) {
    const kind = one.kind === 'privilege' ? 'privileges' : 'routines'
    const env = ground.viewpoint(one.person).env()
    if (model.gate !== undefined) mark(model, points, 'gate', trace(model.gate, {}, env), new Map())
    mark(model, points, `${kind}/${one.name}`, trace(model[kind][one.name] as ConditionNode, {}, env), new Map())
    return
  }
  const type = typeModel(model, one.type)
  const recordsOf = (keys: readonly unknown[]) =>
    keys.flatMap((key) => {
      const record = ground.record(one.type, key as string)
      return record === undefined ? [] : [{ key, record }]
    })
  switch (one.kind) {
    case 'reach': {
      const all = one.extent === 'exactly' || one.keys === 'all'
      for (const { key, record } of recordsOf(all ? ground.keys(one.type) : (one.keys as readonly unknown[])))
        ask({ person: one.person, action: one.action, type, record }, String(key))
      return
    }
    case 'fields':
      for (const { key, record } of recordsOf([one.key])) {
        ask({ person: one.person, action: one.action, type, record }, String(key))
        limits(ground, points, one, type, record)
      }
      return
    case 'access':
      for (const { key, record } of recordsOf([one.key]))
        for (const action of type.actions) if (action !== 'create') ask({ person: one.person, action, type, record }, String(key))
      return
    case 'try':
      return tried(ground, points, one, type, ask)
  }
}

function judge({ model, ...ground }: Ground, points: Points, { person, action, type, record, becomes, within }: Question): void {
  const env = { ...ground.viewpoint(person).env(), after: becomes }
  const { rules, name } = type
  const refs = own(name)
  const put = (scope: string, node: ConditionNode, row = record) => mark(model, points, scope, trace(node, row, env), refs)
  if (model.gate !== undefined) put('gate', model.gate)
  const gate = rules?.gates[action]
  if (gate !== undefined) put(`${name}/gate/${action}`, gate)
  for (const [at, clause] of (rules?.may[action] ?? []).entries()) {
    if (clause.within !== undefined && !clause.within.includes(within as string)) continue
    const scope = `${name}/may/${action}/${at}`
    put(scope, clause.when)
    if (becomes === undefined) continue
    if (clause.afterwards === undefined) put(scope, clause.when, becomes)
    else put(`${scope}/afterwards`, clause.afterwards, becomes)
  }
  for (const [at, veto] of (rules?.vetoes ?? []).entries()) if (veto.actions.includes(action)) put(`${name}/veto/${at}`, veto.when)
}

/** The clauses that hold for a person, with their position among the clauses of the action. */
function holding(
  { viewpoint }: Ground,
  { person, action, type, record, within }: Question,
): { readonly clause: ClauseNode; readonly at: number }[] {
  const env = viewpoint(person).env()
  return (type.rules?.may[action] ?? []).flatMap((clause, at) =>
    (clause.within === undefined || clause.within.includes(within as string)) && trace(clause.when, record, env).holds
      ? [{ clause, at }]
      : [],
  )
}

function limits(ground: Ground, points: Points, one: FieldsExpectation, type: TypeModel, record: Row): void {
  const others = Object.keys(type.fields).filter((name) => !isKeyField(type, name))
  const said = one.fields === 'all' ? others : one.fields
  const inside = one.extent === 'none' ? [] : said
  const outside = one.extent === 'none' ? said : one.extent === 'exactly' ? others.filter((name) => !said.includes(name)) : []
  for (const { clause, at } of holding(ground, { ...one, type, record })) {
    const id = `${type.name}/may/${one.action}/${at} limit`
    for (const name of inside) if (clause.fields?.includes(name)) count(points, id, true)
    for (const name of outside) if (clause.fields?.includes(name) === false) count(points, id, false)
  }
}

function tried(
  ground: Ground,
  points: Points,
  one: TryExpectation,
  type: TypeModel,
  ask: (question: Question, name: string) => void,
): void {
  const { person, action, key, sending = {}, within } = one
  const view = ground.viewpoint(person, within)
  const stamps = action === 'create' || action === 'update' ? stampValues(type, action, view.env()) : {}
  const before = action === 'create' ? { ...stamps, ...sending } : ground.record(type.name, key as string)
  if (before === undefined) return
  const becomes = action === 'update' && one.sending !== undefined ? { ...before, ...sending } : undefined
  const question = { person, action, type, record: before, becomes, within }
  ask(question, `${key ?? ''} ${jsonText([sending, within])}`)
  if (action !== 'create' && becomes === undefined) return
  for (const { clause, at } of holding(ground, question))
    for (const name of Object.keys(sending))
      if (clause.fields !== undefined) count(points, `${type.name}/may/${action}/${at} limit`, clause.fields.includes(name))
  for (const [field, value] of Object.entries(stamps)) {
    const sent = Object.hasOwn(sending, field) && jsonText(sending[field]) !== jsonText(value)
    if (sent || one.allowed) count(points, `${type.name}/stamp/${action}/${field}`, !sent)
  }
}
