import type { Row } from '../../condition/index.js'
import type { Model } from '../../rulebook/index.js'
import {
  type InnerViewpoint,
  indexed,
  type LinkedRecords,
  mayFor,
  type PersonalRules,
  rulebookOf,
  typesOfMe,
  withClauses,
} from '../../viewpoint/index.js'
import type { IndexCache } from './set-table.js'
import { type RecordSets, recordSets } from './sets.js'

/** The rules, people and records at a time. */
export interface Situation {
  readonly model: Model
  readonly people: { readonly [name: string]: Row | null }
  readonly records: { readonly [type: string]: readonly object[] | undefined }
  readonly now: Date
}

/** What a person may do, as far as matrices need it. */
export type View = Pick<InnerViewpoint, 'me' | 'rules' | 'standings' | 'may'>

/** Intermediate results of the matrices of a situation, each computed once. */
export interface Workings extends Situation {
  view(person: string): View
  readonly sets: RecordSets
  readonly linked: LinkedRecords
}

/**
 * Starts the matrices of a situation. From the results for another situation at the same time, it reuses whatever cannot differ: the
 * viewpoints of people with the same claims, and record sets of conditions that read only unchanged data.
 * @param indexes indexes to reuse for lists of records
 */
export function workingsOf(situation: Situation, indexes?: IndexCache, like?: Workings): Workings {
  const { model, people, records, now } = situation
  const book = rulebookOf(model)
  const views = new Map<string, View>()
  const isSame = (type: string) => records[type] === like?.records[type]
  const linked = like !== undefined && Object.keys(records).every(isSame) ? like.linked : (indexed(records as never) as LinkedRecords)
  const sameLinks = typesOfMe(model).every(isSame)

  const fewer = like === undefined || like.model === model ? undefined : typesWithFewerClauses(like.model, model)

  function made(person: string): View {
    const there = like !== undefined && Object.hasOwn(like.people, person) && like.people[person] === people[person]
    if (there && sameLinks && like.model === model) return like.view(person)
    if (there && sameLinks && fewer !== undefined) return lessView(like.view(person), model, fewer)
    const view = book.for(people[person], { now, records: linked }) as unknown as InnerViewpoint
    return there && like.model === model && sameMe(view.me, like.view(person).me) ? like.view(person) : view
  }

  return {
    ...situation,
    linked,
    view(person) {
      const view = views.get(person) ?? made(person)
      views.set(person, view)
      return view
    },
    sets: recordSets(
      records as { readonly [type: string]: readonly Row[] },
      now.getTime(),
      indexes,
      like && like.now.getTime() === now.getTime() ? { sets: like.sets, isSame } : undefined,
    ),
  }
}

/** The record types for which a model lacks some clauses of the other and is otherwise the same; undefined if more differs. */
function typesWithFewerClauses(was: Model, is: Model): ReadonlySet<string> | undefined {
  const { types: before, ...rest } = was
  const { types: after, ...others } = is
  const isAlike = Object.keys(rest).every((name) => rest[name as keyof typeof rest] === others[name as keyof typeof others])
  const names = Object.keys(after)
  if (!isAlike || names.join() !== Object.keys(before).join()) return undefined
  const changed = names.filter((name) => before[name] !== after[name])
  for (const name of changed) {
    const [old, now] = [before[name]?.rules, after[name]?.rules]
    const sameVetoes = old?.vetoes.length === now?.vetoes.length && old?.vetoes.every((veto, at) => veto === now?.vetoes[at])
    if (!sameVetoes || before[name]?.standings !== after[name]?.standings || old?.gates !== now?.gates) return undefined
    for (const [action, clauses] of Object.entries(now?.may ?? {}))
      if (!clauses.every((clause) => old?.may[action]?.includes(clause))) return undefined
  }
  return new Set(changed)
}

/** The access of a person without some clauses. The conditions are the same objects, so cached results stay valid. */
function lessView(view: View, model: Model, types: ReadonlySet<string>): View {
  const known = new Map<string, PersonalRules>()
  const rules = (type: string, action: string): PersonalRules => {
    if (!types.has(type)) return view.rules(type, action)
    const name = `${type} ${action}`
    let found = known.get(name)
    if (found === undefined) {
      const there = new Set(model.types[type]?.rules?.may[action])
      found = withClauses(view.rules(type, action), there, action === 'read' || action === 'create' ? undefined : rules(type, 'read'))
      known.set(name, found)
    }
    return found
  }
  const may = (action: string, type: string) => mayFor(rules(type, action))
  return { me: view.me, standings: view.standings, rules, may: may as View['may'] }
}

/** Whether claims are equal, and lead to the same records. */
function sameMe(one: object | null, other: object | null): boolean {
  if (one === null || other === null) return one === other
  const [a, b] = [Object.entries(one), other as Row]
  return a.length === Object.keys(b).length && a.every(([name, value]) => sameValue(value, b[name]))
}

function sameValue(one: unknown, other: unknown): boolean {
  if (one === other) return true
  return Array.isArray(one) && Array.isArray(other) && one.length === other.length && one.every((item, at) => item === other[at])
}
