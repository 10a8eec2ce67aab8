import type { PageAction, PageClause, PageCondition, PageRules, PageStamp, PageType } from '../client/rules.js'
import { type ConditionNode, FALSE, type FieldNode, leavesOf, lower, type Row, simplify, TRUE } from '../condition/index.js'
import { isJudgedAlong, type Key, type TypeModel, typeModel } from '../rulebook/index.js'
import { fieldsLetBy, type InnerViewpoint, stampValues, viewpointOf } from '../viewpoint/index.js'
import { type IsHidden, withUnknown } from './own-claims.js'

/** What goes to a page, and to whom. */
export interface PageRulesOptions {
  /** Which record types. Default: all. */
  readonly types?: readonly string[]
  readonly signIn?: string | undefined
  /** Which claims may not be told. Default: all of them may. */
  readonly isHidden?: IsHidden
}

/**
 * One person's rules for a page: specialised, without names and titles, and without whatever it could not be answered with there.
 * Where a field that the person never sees is asked about, or a type that they never read, there is a gap, and the page asks
 * the server.
 */
export function pageRules(whole: InnerViewpoint, { types, signIn, isHidden = () => false }: PageRulesOptions = {}): PageRules {
  const known = withUnknown(whole.model, isHidden)
  const view = known === whole.model ? whole : viewpointOf(known, whole.me as Row | null, { now: new Date(whole.env().now) })
  const { model } = view
  const names = types ?? Object.keys(model.types)
  const seen = new Map(names.map((name) => [name, seenFields(view, whole, typeModel(model, name))]))
  return {
    'pachter rules': 1,
    me: (view.me === null ? null : (view.me as Row)[model.me.key]) as Key | null,
    ...(signIn === undefined ? {} : { signIn }),
    types: Object.fromEntries(names.map((name) => [name, typeRules({ view, whole, isHidden }, typeModel(model, name), seen)])),
    privileges: Object.keys(model.privileges).filter((name) => whole.has(name as never)),
    routines: Object.keys(model.routines).filter((name) => whole.mayCall(name)),
  }
}

/** The rules as they are told, in which what is hidden is unknown; and as they are. */
interface Told {
  readonly view: InnerViewpoint
  readonly whole: InnerViewpoint
  readonly isHidden: IsHidden
}

/** The fields that somebody can come to see of a type; undefined where they read none of it. */
type Seen = ReadonlyMap<string, ReadonlySet<string> | undefined>

function seenFields(view: InnerViewpoint, whole: InnerViewpoint, type: TypeModel): ReadonlySet<string> | undefined {
  const { clauses } = view.rules(type.name, 'read')
  if (whole.rules(type.name, 'read').when === FALSE) return undefined
  return new Set([type.key, ...(fieldsLetBy(type, clauses) ?? Object.keys(type.fields))])
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
  const saying = type.rules?.saying ?? {}
  const can = new Set([
    ...(visible ?? []),
    ...actions.flatMap(([, { clauses }]) => clauses.flatMap(({ fields }) => fields ?? Object.keys(type.fields))),
  ])
  return {
    key: type.key,
    fields: Object.keys(type.fields).filter((name) => can.has(name)),
    actions: Object.fromEntries(actions),
    ...(Object.keys(saying).length > 0 ? { saying: saying as { [action: string]: string } } : {}),
    ...(Object.keys(kept).length > 0 ? { stamps: kept } : {}),
  }
}

function actionRules(view: InnerViewpoint, whole: InnerViewpoint, type: TypeModel, action: string, seen: Seen): PageAction | undefined {
  const { clauses, open, gate, sayings } = view.rules(type.name, action)
  const routine = (type.rules?.may[action] ?? []).some(({ within }) => within?.some((name) => view.mayCall(name)))
  // That something is never allowed, whatever the record, anybody is told who asks what they may.
  if (whole.rules(type.name, action).when === FALSE && !routine) return undefined
  const page = (node: ConditionNode) => forPage(node, type, seen)
  // What else leads to the record, and may stand in the way, a page does not know for certain.
  const along = action === 'delete' && isJudgedAlong(view.model, type.name)
  return {
    clauses: clauses.map(
      ({ when: holds, clause, afterwards }): PageClause => ({
        when: page(holds),
        ...(clause.fields ? { fields: clause.fields } : {}),
        ...(afterwards ? { afterwards: page(afterwards.when) } : {}),
        ...(clause.supplying ? { supplying: clause.supplying } : {}),
      }),
    ),
    ...(open.when === TRUE && !along ? {} : { open: along ? both(page(open.when), ASK) : page(open.when) }),
    ...(action === 'update' && gate.when.kind !== 'constant' ? { gate: page(gate.when) } : {}),
    ...(sayings.length > 0 ? { vetoes: sayings.map(({ when: holds, saying }) => ({ when: page(holds), saying })) } : {}),
    ...(routine ? { ask: true } : {}),
  }
}

function stampsOf(view: InnerViewpoint, type: TypeModel, action: 'create' | 'update', isHidden: IsHidden): { [field: string]: PageStamp } {
  const terms = type.rules?.stamps[action] ?? {}
  const values = stampValues(type, action, view.env())
  return Object.fromEntries(
    Object.entries(terms).map(([name, term]): [string, PageStamp] => {
      if (term.kind === 'claim' && isHidden(term)) return [name, { ask: true }]
      return [name, term.kind === 'now' ? { now: true } : { value: values[name] ?? null }]
    }),
  )
}

const ASK: PageCondition = Object.freeze({ kind: 'ask' })

function both(one: PageCondition, other: PageCondition): PageCondition {
  return one === TRUE || one === other ? other : ({ kind: 'allOf', of: [one, other] } as PageCondition)
}

/** A condition without names, and with gaps where it asks for what the page never has. */
function forPage(node: ConditionNode, type: TypeModel, seen: Seen): PageCondition {
  const at = new Map<FieldNode['of'], string>([
    ['record', type.name],
    ['after', type.name],
  ])
  // In a list of objects, the first step is what the list is called in the record.
  const inList = new Map<number, string>()
  const isSeen = ({ of, path }: FieldNode) => {
    const fields = seen.get(at.get(of) as string)
    return fields?.has((typeof of === 'number' ? inList.get(of) : undefined) ?? (path[0] as string)) === true
  }
  const without = (part: ConditionNode): PageCondition => {
    switch (part.kind) {
      case 'constant':
        return part
      case 'named':
        return without(part.of)
      case 'not': {
        const of = without(part.of)
        return of.kind === 'ask' ? ASK : ({ kind: 'not', of } as ConditionNode)
      }
      case 'allOf':
      case 'anyOf': {
        const of = part.of.map(without)
        // One gap says as much as several.
        const kept = of.filter((one, index) => one.kind !== 'ask' || of.findIndex(({ kind }) => kind === 'ask') === index)
        return kept.every(({ kind }) => kind === 'ask') && kept.length > 0 ? ASK : ({ kind: part.kind, of: kept } as ConditionNode)
      }
      case 'some': {
        const { over, each } = part
        if (over.kind === 'elements') {
          if (!isSeen(over.list)) return ASK
          at.set(each, at.get(over.list.of) as string)
          inList.set(each, inList.get(over.list.of as number) ?? (over.list.path[0] as string))
        } else {
          at.set(each, over.type)
          inList.delete(each)
          const fields = seen.get(over.type)
          if (over.kind === 'ancestors' || fields === undefined || !over.by.every(({ to }) => fields.has(to.path[0] as string))) return ASK
          if (!over.by.every(({ from }) => from.kind !== 'field' || isSeen(from))) return ASK
        }
        const of = without(part.of)
        return of.kind === 'ask' ? ASK : ({ ...part, of } as ConditionNode)
      }
      default:
        return leavesOf(part).every((leaf) => leaf.kind !== 'field' || isSeen(leaf)) ? part : ASK
    }
  }
  return without(simplify(lower(node)))
}
