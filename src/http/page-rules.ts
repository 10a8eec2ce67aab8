import type { PageAction, PageClause, PageCondition, PageRules, PageStamp, PageType } from '../client/rules.js'
import {
  allOfNode,
  bind,
  type ConditionNode,
  combine,
  FALSE,
  type FieldNode,
  frozen,
  type LeafNode,
  type Looking,
  lower,
  type OverNode,
  partsOfTerm,
  type Row,
  someAround,
  TRUE,
  termsOf,
  UNDECIDED,
} from '../condition/index.js'
import { isJudgedAlong, type Key, serverKey, type TypeModel, typeModel } from '../rulebook/index.js'
import { fieldsLetBy, type InnerViewpoint, stampValues, viewpointOf } from '../viewpoint/index.js'
import { type IsHidden, withUnknown } from './own-claims.js'

/** The options of page rules. */
export interface PageRulesOptions {
  /** Which record types. Default: all. */
  readonly types?: readonly string[]
  readonly signIn?: string | undefined
  /** Who acts as this person. */
  readonly act?: PageRules['act']
  /** Which claims may not be told. Default: all of them may. */
  readonly isHidden?: IsHidden
  /** The links of the person to many whose records may not be told. */
  readonly withheld?: readonly string[]
  /** The privileges and routines that are granted. Default: asked of the viewpoint, which reads no other records. */
  readonly granted?: { readonly privileges: readonly string[]; readonly routines: readonly string[] }
}

/**
 * One person's rules for a page: specialised, without names and titles, and without anything that a page cannot evaluate. Conditions on a
 * field or type that the person never sees become unknown there, and the page asks the server.
 */
export function pageRules(
  whole: InnerViewpoint,
  { types, signIn, act, isHidden = () => false, withheld = [], granted }: PageRulesOptions = {},
): PageRules {
  const known = withUnknown(whole.model, isHidden)
  const me = whole.me && withheld.length > 0 ? without(whole.me as Row, withheld) : (whole.me as Row | null)
  const view = known === whole.model && me === whole.me ? whole : viewpointOf(known, me, { now: new Date(whole.env().now) })
  const { model } = view
  const names = types ?? Object.keys(model.types)
  const seen = new Map(names.map((name) => [name, seenFields(view, whole, typeModel(model, name))]))
  return {
    'pachter rules': 1,
    me: (view.me === null ? null : (view.me as Row)[model.me.key]) as Key | null,
    ...(signIn === undefined ? {} : { signIn }),
    ...(act === undefined ? {} : { act }),
    types: Object.fromEntries(names.map((name) => [name, typeRules({ view, whole, isHidden }, typeModel(model, name), seen)])),
    privileges: granted?.privileges ?? Object.keys(model.privileges).filter((name) => whole.has(name)),
    routines: granted?.routines ?? Object.keys(model.routines).filter((name) => whole.mayCall(name)),
  }
}

function without(me: Row, names: readonly string[]): Row {
  return Object.fromEntries(Object.entries(me).filter(([name]) => !names.includes(name)))
}

/** The rules as sent, with hidden values unknown; and the full rules. */
interface Told {
  readonly view: InnerViewpoint
  readonly whole: InnerViewpoint
  readonly isHidden: IsHidden
}

/** The fields of a type that the person can ever see; undefined if they never read the type. */
type Seen = ReadonlyMap<string, ReadonlySet<string> | undefined>

function seenFields(view: InnerViewpoint, whole: InnerViewpoint, type: TypeModel): ReadonlySet<string> | undefined {
  const { clauses } = view.rules(type.name, 'read')
  if (whole.rules(type.name, 'read').when === FALSE) return undefined
  return new Set([...type.keys, ...(fieldsLetBy(type, clauses) ?? Object.keys(type.fields))])
}

function typeRules({ view, whole, isHidden }: Told, type: TypeModel, seen: Seen): PageType {
  const visible = seen.get(type.name)
  const actions = type.actions.flatMap((action) => {
    const rules = actionRules(view, whole, type, action, seen)
    return rules === undefined ? [] : [[action, rules] as const]
  })
  const stamps = { create: stampsOf(view, type, 'create', isHidden), update: stampsOf(view, type, 'update', isHidden) }
  const may = new Set(actions.map(([action]) => action))
  const kept = Object.fromEntries(Object.entries(stamps).filter(([action, of]) => may.has(action) && Object.keys(of).length > 0))
  const messages = type.rules?.messages ?? {}
  const can = new Set([
    ...(visible ?? []),
    ...actions.flatMap(([, { clauses }]) => clauses.flatMap(({ fields }) => fields ?? Object.keys(type.fields))),
  ])
  return {
    key: serverKey(type) ?? type.keys,
    fields: Object.keys(type.fields).filter((name) => can.has(name)),
    actions: Object.fromEntries(actions),
    ...(Object.keys(messages).length > 0 ? { messages: messages as { [action: string]: string } } : {}),
    ...(Object.keys(kept).length > 0 ? { stamps: kept } : {}),
  }
}

function actionRules(view: InnerViewpoint, whole: InnerViewpoint, type: TypeModel, action: string, seen: Seen): PageAction | undefined {
  const { clauses, open, gate, messages } = view.rules(type.name, action)
  const routine = (type.rules?.may[action] ?? []).some(({ within }) => within?.some((name) => view.mayCall(name)))
  // An action that is never allowed, whatever the record, is no secret.
  if (whole.rules(type.name, action).when === FALSE && !routine) return undefined
  const page = (node: ConditionNode) => forPage(node, type, seen)
  // A page cannot know all records that link to this one and could block its deletion.
  const along = action === 'delete' && isJudgedAlong(view.model, type.name)
  return {
    clauses: clauses.map(
      ({ when: holds, clause, afterwards }): PageClause => ({
        when: page(holds),
        ...(clause.fields ? { fields: clause.fields } : {}),
        ...(afterwards ? { afterwards: page(afterwards.when) } : {}),
        ...(clause.overriding ? { overriding: clause.overriding } : {}),
      }),
    ),
    ...(open.when === TRUE && !along ? {} : { open: along ? both(page(open.when), UNDECIDED) : page(open.when) }),
    ...(action === 'update' && gate.when.kind !== 'constant' ? { gate: page(gate.when) } : {}),
    ...(messages.length > 0 ? { vetoes: messages.map(({ when: holds, message }) => ({ when: page(holds), message })) } : {}),
    ...(routine ? { ask: true } : {}),
  }
}

function stampsOf(view: InnerViewpoint, type: TypeModel, action: 'create' | 'update', isHidden: IsHidden): { [field: string]: PageStamp } {
  const terms = type.rules?.stamps[action] ?? {}
  const generated = action === 'create' ? (type.generated ?? []).filter((name) => name !== serverKey(type)) : []
  const values = stampValues(type, action, view.env())
  const stamped = Object.entries(terms).map(([name, term]): [string, PageStamp] => {
    if (term.kind === 'now') return [name, term.zone === undefined ? { now: true } : { ask: true }]
    const isUntold = partsOfTerm(term).some((leaf) => leaf.kind === 'claim' && isHidden(leaf))
    return [name, isUntold ? { ask: true } : { value: values[name] ?? null }]
  })
  return Object.fromEntries([...generated.map((name): [string, PageStamp] => [name, { ask: true }]), ...stamped])
}

function both(one: PageCondition, other: PageCondition): PageCondition {
  return one === TRUE || one === other ? other : allOfNode([one, other])
}

/** A condition without names. Unknown if it reads what the page never has. */
function forPage(node: ConditionNode, type: TypeModel, seen: Seen): PageCondition {
  return frozen(
    bind(lower(node), {
      leaf: (leaf) => leaf,
      join: combine,
      replace(part, { looking }) {
        if (
          !termsOf(part)
            .flatMap(partsOfTerm)
            .every((leaf) => isSeen(leaf, type, looking, seen))
        )
          return UNDECIDED
        return part.kind !== 'some' || isReached(part.over, seen) ? undefined : UNDECIDED
      },
    }),
  )
}

/** Whether a page may know a value: it knows the time, but not which day it is in a time zone. */
function isSeen(leaf: LeafNode, type: TypeModel, looking: Looking | undefined, seen: Seen): boolean {
  switch (leaf.kind) {
    case 'field':
      return seenField(leaf, type, looking, seen)
    case 'now':
      return leaf.zone === undefined
    case 'claim':
    case 'literal':
    case 'forever':
      return true
  }
}

/** Whether a page may have a field. In a list of objects, that depends on the list's field in the record. */
function seenField({ of, path }: FieldNode, type: TypeModel, looking: Looking | undefined, seen: Seen): boolean {
  const over = typeof of === 'number' ? someAround(looking, of)?.over : undefined
  if (over === undefined) return seen.get(type.name)?.has(path[0] as string) === true
  if (over.kind === 'elements') return seenField(over.list, type, looking, seen)
  return seen.get(over.type)?.has(path[0] as string) === true
}

/** Whether a page may have the records of a `some` and the fields that they are found by. */
function isReached(over: OverNode, seen: Seen): boolean {
  switch (over.kind) {
    case 'elements':
      return true
    case 'records':
      return seen.has(over.type) && over.by.every(({ to }) => seen.get(over.type)?.has(to.path[0] as string))
    case 'ancestors':
      return false
  }
}
