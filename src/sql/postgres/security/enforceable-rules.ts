import {
  allOfNode,
  anyNode,
  anyOfNode,
  askedWithin,
  asksAfter,
  type ConditionNode,
  changesList,
  compareNode,
  constant,
  type FieldNode,
  fieldsIn,
  lower,
  notNode,
  presenceNode,
  someNode,
  type TermNode,
} from '../../../condition/index.js'
import {
  type ClauseNode,
  isGenerated,
  isKeyField,
  isSet,
  type Model,
  referencesTo,
  serverKey,
  type TypeModel,
  typeModel,
} from '../../../rulebook/index.js'
import { isEmpty } from '../../../viewpoint/index.js'

/** The part of a record type's rules that a database can enforce: conditions that contain claims, and what it cannot enforce. */
export interface HeldRules {
  readonly read: ConditionNode
  readonly create: ConditionNode
  /** What an update requires of the record before and after. */
  readonly update: { readonly using: ConditionNode; readonly check: ConditionNode }
  readonly delete: ConditionNode
  /** The columns that may be read, given at creation and changed. */
  readonly columns: { readonly read: readonly string[]; readonly create: readonly string[]; readonly update: readonly string[] }
  /** What is left to the application: what the database refuses although the rules may allow it, or does not check. */
  readonly left: readonly string[]
}

/**
 * Finds what a database can enforce exactly. The rest is listed, and refused there. `withheld` are fields that nobody may read through the
 * database.
 */
export function heldRules(model: Model, type: TypeModel, withheld: readonly string[]): HeldRules {
  const left: string[] = []
  const readable = readRule(model, type, (title, why) => left.push(`read: ${title}: ${why}`), withheld)
  const fields = Object.keys(type.fields)
  const everything = visible(model, type)
  const targets = targetsSeen(model, type, left)
  return {
    read: readable.when,
    create: createRule(model, type, targets, left),
    update: updateRule(model, type, everything, targets, left),
    delete: deleteRule(model, type, everything, left),
    columns: {
      read: readable.columns,
      create: fields.filter((name) => (name !== serverKey(type) && !isGenerated(type, name)) || isGiven(type, name)),
      update: updatable(type).fields,
    },
    left,
  }
}

function gate(model: Model, { rules }: TypeModel, action: string): ConditionNode {
  return allOfNode([model.gate, rules?.gates[action]].filter((one) => one !== undefined))
}

function open(model: Model, type: TypeModel, action: string): ConditionNode {
  const vetoes = (type.rules?.vetoes ?? []).filter((veto) => veto.actions.includes(action))
  return allOfNode([gate(model, type, action), ...vetoes.map(({ when }) => notNode(when))])
}

/** The clauses that need no routine: the database does not know routines. */
function clausesOf({ rules }: TypeModel, action: string): readonly ClauseNode[] {
  return (rules?.may[action] ?? []).filter(({ within }) => within === undefined)
}

function inRoutines({ rules }: TypeModel, action: string, left: string[]): void {
  for (const { title, within } of rules?.may[action] ?? [])
    if (within !== undefined) left.push(`${action}: ${title}: applies within a routine only`)
}

/** When a record is visible at all, whichever of its fields. */
function visible(model: Model, type: TypeModel): ConditionNode {
  const any = clausesOf(type, 'read').map(({ when }) => when)
  return allOfNode([open(model, type, 'read'), any.length === 0 ? constant(false) : anyOfNode(any)])
}

function readRule(
  model: Model,
  type: TypeModel,
  leave: (title: string, why: string) => void,
  withheld: readonly string[],
): { readonly when: ConditionNode; readonly columns: readonly string[] } {
  const clauses = clausesOf(type, 'read')
  const all = Object.keys(type.fields).filter((name) => !withheld.includes(name))
  // A row is shown with all columns that the role may read, or not at all.
  const unlimited = clauses.some(({ fields }) => fields === undefined)
  const seen = (clause: ClauseNode) =>
    clause.fields === undefined ? all : all.filter((name) => isKeyField(type, name) || clause.fields?.includes(name))
  const columns = unlimited ? all : all.filter((name) => clauses.some((clause) => seen(clause).includes(name)))
  const whole = clauses.filter((clause) => columns.every((name) => seen(clause).includes(name)))
  for (const clause of clauses)
    if (!whole.includes(clause))
      leave(clause.title, `does not show all fields: it hides ${columns.filter((name) => !seen(clause).includes(name)).join(', ')}`)
  const any = whole.map(({ when }) => when)
  return { when: any.length === 0 ? constant(false) : allOfNode([open(model, type, 'read'), anyOfNode(any)]), columns }
}

/** A person who sets a link must see its target: checked for every link of the changed record. */
function targetsSeen(model: Model, type: TypeModel, left: string[]): ConditionNode {
  const seen: ConditionNode[] = []
  for (const link of Object.values(type.links)) {
    if (!isSet(link, type)) continue
    const other = typeModel(model, link.to)
    const by = link.by.map(({ to, from }) => ({ to, from: { kind: 'field', of: 'record', ...from, optional: true } as FieldNode }))
    const missing = by.map(({ from }) => presenceNode(from, false))
    const list = by.find(({ from }) => from.list)
    if (list !== undefined) {
      left.push(
        `create and update: allowed only if ${list.from.path.join('.')} is empty, since only the application can check that each ${link.to} is visible`,
      )
      seen.push(presenceNode(list.from, false))
      continue
    }
    const over = { kind: 'records', type: link.to, by } as const
    seen.push(anyOfNode([...missing, someNode(1, over, askedWithin(lower(visible(model, other)), 1))]))
  }
  return allOfNode(seen)
}

/** The stamps as required values: the database does not set them. */
function stamped(type: TypeModel, when: 'create' | 'update', left: string[]): ConditionNode {
  const equal = Object.entries(type.rules?.stamps[when] ?? {}).map(([name, term]) => {
    const field = type.fields[name]
    const own: TermNode = {
      kind: 'field',
      of: 'record',
      path: [name],
      type: (field?.type ?? 'other') as never,
      ...(field?.list ? { list: true } : {}),
    }
    if (field?.list || field?.type === 'group' || field?.type === 'other') {
      left.push(`${when}: refused, since ${name} is stamped with more than one value`)
      return constant(false)
    }
    left.push(`${when}: ${name} is not stamped: it has to be sent with the value that the stamp would set`)
    return isEmpty(term) ? presenceNode(own, false) : compareNode(own, 'is', term)
  })
  return allOfNode(equal)
}

function createRule(model: Model, type: TypeModel, targets: ConditionNode, left: string[]): ConditionNode {
  inRoutines(type, 'create', left)
  const own = Object.keys(type.fields).filter((name) => name !== serverKey(type) && !isGenerated(type, name))
  const clauses = clausesOf(type, 'create').filter((clause) => {
    const all = clause.fields === undefined || own.every((name) => clause.fields?.includes(name) || stampsOf(type, 'create').includes(name))
    if (!all) left.push(`create: ${clause.title}: allows some fields only`)
    return all
  })
  if (clauses.length === 0) return constant(false)
  const gates = open(model, type, 'create')
  return allOfNode([gates, anyOfNode(clauses.map(({ when }) => when)), stamped(type, 'create', left), targets])
}

function stampsOf({ rules }: TypeModel, when: 'create' | 'update'): string[] {
  return Object.keys(rules?.stamps[when] ?? {})
}

/** Clients may send keys, and what the database sets, only if every clause allows it. */
function isGiven(type: TypeModel, name: string): boolean {
  const clauses = clausesOf(type, 'create')
  return clauses.length > 0 && clauses.every(({ overriding }) => overriding?.includes(name))
}

/** The clauses that allow changes of all the columns that can be changed at all. */
function updatable(type: TypeModel): { readonly fields: readonly string[]; readonly clauses: readonly ClauseNode[] } {
  const clauses = clausesOf(type, 'update')
  const all = Object.keys(type.fields).filter((name) => !isKeyField(type, name))
  const lets = (clause: ClauseNode) =>
    all.filter((name) => clause.fields === undefined || clause.fields.includes(name) || stampsOf(type, 'update').includes(name))
  const unlimited = clauses.filter(({ fields }) => fields === undefined)
  const fields = clauses[0] === undefined ? [] : unlimited.length > 0 ? all : lets(clauses[0])
  return { fields, clauses: clauses.filter((clause) => fields.every((name) => lets(clause).includes(name))) }
}

function updateRule(model: Model, type: TypeModel, seen: ConditionNode, targets: ConditionNode, left: string[]): HeldRules['update'] {
  inRoutines(type, 'update', left)
  const never = { using: constant(false), check: constant(false) }
  const gates = open(model, type, 'update')
  if (speaksOfAfter(gates)) {
    left.push('update: refused, since a gate or a veto compares the record as it is with what it becomes')
    return never
  }
  const { clauses, fields } = updatable(type)
  for (const clause of clausesOf(type, 'update'))
    if (!clauses.includes(clause)) left.push(`update: ${clause.title}: allows some fields only`)
  // The clause that holds before the update must also hold after it, but the database checks the two separately. Clauses that read only
  // unchangeable fields hold before as after, so one more clause can be distinguished.
  const kept: ClauseNode[] = []
  let paired = false
  for (const clause of clauses) {
    const after = clause.afterwards ?? clause.when
    if (speaksOfAfter(clause.when) || speaksOfAfter(after)) {
      left.push(`update: ${clause.title}: compares the record as it is with what it becomes`)
    } else if (!dependsOn(clause.when, fields, type.name) && clause.afterwards === undefined) kept.push(clause)
    else if (paired) left.push(`update: ${clause.title}: the database cannot check that this same clause holds before and after`)
    else {
      paired = true
      kept.push(clause)
    }
  }
  if (kept.length === 0 || fields.length === 0) return never
  return {
    using: allOfNode([seen, gates, anyOfNode(kept.map(({ when }) => when))]),
    check: allOfNode([
      gate(model, type, 'update'),
      anyOfNode(kept.map(({ when, afterwards }) => afterwards ?? when)),
      stamped(type, 'update', left),
      targets,
    ]),
  }
}

function deleteRule(model: Model, type: TypeModel, seen: ConditionNode, left: string[]): ConditionNode {
  inRoutines(type, 'delete', left)
  const clauses = clausesOf(type, 'delete')
  if (clauses.length === 0) return constant(false)
  if (type.removal !== undefined) {
    left.push('delete: refused, because records are removed and not deleted: only the application stamps them')
    return constant(false)
  }
  const along = referencesTo(model, type.name).flatMap(({ type: of, places, onDelete }) => {
    if (onDelete === 'follow') return []
    if (onDelete !== 'refuse') left.push(`delete: refused while ${of} records link to it, which would have to be deleted or unlinked too`)
    const pairs = places.map((to, at) => ({
      to,
      from: { kind: 'field', of: 'record', path: [type.keys[at] as string], type: to.type } as FieldNode,
    }))
    const lists = pairs.filter(({ to }) => to.list).map(({ to, from }) => compareNode({ kind: 'field', of: 1, ...to }, 'has', from))
    return [notNode(someNode(1, { kind: 'records', type: of, by: pairs.filter(({ to }) => !to.list) }, allOfNode(lists)))]
  })
  return allOfNode([seen, open(model, type, 'delete'), anyOfNode(clauses.map(({ when }) => when)), ...along])
}

function speaksOfAfter(node: ConditionNode): boolean {
  return asksAfter(node) || changesList(node)
}

/** Whether a change of these fields can change the result. */
function dependsOn(when: ConditionNode, fields: readonly string[], type: string): boolean {
  const node = lower(when)
  return fieldsIn(node).some((name) => fields.includes(name)) || reads(node, type)
}

/** Whether the condition follows a link to records of the type. */
function reads(node: ConditionNode, type: string): boolean {
  return anyNode(node, (part) => part.kind === 'some' && part.over.kind !== 'elements' && part.over.type === type)
}
