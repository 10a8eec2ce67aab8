import {
  allOfNode,
  anyOfNode,
  type ConditionNode,
  compareNode,
  FALSE,
  type FieldNode,
  mapTerms,
  notNode,
  presenceNode,
  type Scalar,
  type TermNode,
} from '../condition/index.js'
import {
  type ClauseNode,
  type Field,
  fieldOf,
  isKeyField,
  type Model,
  serverKey,
  type TypeModel,
  typeModel,
  type VetoNode,
} from '../rulebook/index.js'

/** Something that may be done to a record. */
export interface Permission {
  readonly type: string
  readonly action: string
  /** The field that is seen, sent or changed. Undefined: the action itself. */
  readonly field?: string | undefined
  /** Only what may be done outside of routines. */
  readonly outside?: true
  /** Only what may be done within this routine. */
  readonly within?: string
}

/** A privilege, or the right to call a routine, which belong to no record. */
export interface Grant {
  readonly kind: 'privilege' | 'routine'
  readonly name: string
}

/** Who has a privilege or may call a routine. */
export function grantedTo(model: Model, { kind, name }: Grant): ConditionNode {
  const condition = (kind === 'privilege' ? model.privileges : model.routines)[name] ?? FALSE
  return allOfNode(model.gate === undefined ? [condition] : [model.gate, condition])
}

/** Rules with some of them left out. */
export interface Without {
  readonly clauses?: (clause: ClauseNode) => boolean
  readonly veto?: VetoNode
  /** Also without the gates of the record type. */
  readonly gate?: true
}

/**
 * Where a person may do something, as one condition: for every person, since nothing is specialised. Of an update, it speaks of the record as
 * it is and as it becomes.
 */
export function permitted(model: Model, permission: Permission, without: Without = {}): ConditionNode {
  const { type: name, action, field, outside, within } = permission
  const type = typeModel(model, name)
  const read = action === 'read' || action === 'create' ? [] : [permitted(model, { type: name, action: 'read' })]
  const some = clausesOf(type, action, field).filter(
    (clause) =>
      (without.clauses?.(clause) ?? true) &&
      !(outside && clause.within !== undefined) &&
      (within === undefined || clause.within === undefined || clause.within.includes(within)),
  )
  const inside = within === undefined ? [] : [grantedTo(model, { kind: 'routine', name: within })]
  const letting = anyOfNode(some.map((clause) => countsFor(model, clause, action)))
  return allOfNode([...read, ...inside, ...openFor(model, type, action, without), letting, ...doneTo(type, action, field)])
}

/** What must hold besides a clause: the gates, and none of the vetoes. */
function openFor(model: Model, { rules }: TypeModel, action: string, without: Without): ConditionNode[] {
  const gates = [model.gate, without.gate ? undefined : rules?.gates[action]].filter((gate) => gate !== undefined)
  const vetoes = (rules?.vetoes ?? []).filter((veto) => veto.actions.includes(action) && veto !== without.veto)
  return [
    ...gates,
    // Nobody moves a record out of what a gate keeps apart.
    ...(action === 'update' ? gates.map(onAfter) : []),
    ...vetoes.map(({ when }) => notNode(when)),
  ]
}

/** The clauses of an action that let a field be seen, sent or changed; without a field, all of them. */
export function clausesOf(type: TypeModel, action: string, field: string | undefined): readonly ClauseNode[] {
  const all = type.rules?.may[action] ?? []
  if (field === undefined) return all
  const isSeenAnyway = action === 'read' && isKeyField(type, field)
  return all.filter((clause) => isSeenAnyway || letsField(type, clause, action, field))
}

function letsField(type: TypeModel, { fields, overriding }: ClauseNode, action: string, field: string): boolean {
  const isSet = Object.hasOwn(type.rules?.stamps.create ?? {}, field) || type.generated?.includes(field) || serverKey(type) === field
  if (action === 'create' && isSet) return overriding?.includes(field) === true
  return fields === undefined || fields.includes(field) || overriding?.includes(field) === true
}

/** Where a clause counts: also that the person may call a routine that it needs. */
export function countsFor(model: Model, clause: ClauseNode, action: string): ConditionNode {
  const within = clause.within?.map((routine) => allOfNode([...(model.gate ? [model.gate] : []), model.routines[routine] ?? FALSE]))
  const after = action === 'update' ? [onAfter(clause.afterwards ?? clause.when)] : []
  return allOfNode([clause.when, ...after, ...(within === undefined ? [] : [anyOfNode(within)])])
}

/** That something is really done to the field: it is sent, or its value changes. */
function doneTo(type: TypeModel, action: string, field: string | undefined): ConditionNode[] {
  if (field === undefined) return []
  const known = fieldOf(type, field)
  if (action === 'create') return [presenceNode(fieldNode(type, field, 'record'), true)]
  return action === 'update' ? [changes(type, field, known)] : []
}

/** Where a field has another value after the change, as far as conditions can say it. */
export function changes(type: TypeModel, name: string, field: Field): ConditionNode {
  const [before, after] = [fieldNode(type, name, 'record'), fieldNode(type, name, 'after')]
  const appears = [
    allOfNode([presenceNode(before, true), presenceNode(after, false)]),
    allOfNode([presenceNode(before, false), presenceNode(after, true)]),
  ]
  const bothThere = allOfNode([presenceNode(before, true), presenceNode(after, true)])
  // Lists and objects cannot be compared as a whole: they may differ.
  if (field.list || field.type === 'other' || field.type === 'group') return anyOfNode([...appears, bothThere])
  return anyOfNode([...appears, allOfNode([bothThere, notNode(compareNode(before, 'is', after))])])
}

/** A field of the record as it is, or as it becomes. */
export function fieldNode(type: TypeModel, name: string, of: 'record' | 'after'): FieldNode {
  const field = fieldOf(type, name)
  const isId = type.ids.includes(name) && field.type === 'text'
  const scalar: Scalar | 'other' = isId ? 'id' : field.type === 'group' ? 'other' : field.type
  return { kind: 'field', of, path: [name], type: scalar, ...(field.list ? { list: true } : {}), optional: true }
}

/** A condition on the record, asked about the record as it becomes. */
export function onAfter(node: ConditionNode): ConditionNode {
  return mapTerms(node, (leaf): TermNode => (leaf.kind === 'field' && leaf.of === 'record' ? { ...leaf, of: 'after' } : leaf))
}

/** What the stamps of a new record are, unless a clause lets it be sent. */
export function stampsOf(type: TypeModel): ConditionNode[] {
  const clauses = type.rules?.may.create ?? []
  return Object.entries(type.rules?.stamps.create ?? {}).flatMap(([name, term]) => {
    const field = fieldNode(type, name, 'record')
    if (field.list || field.type === 'other' || clauses.some(({ overriding }) => overriding?.includes(name))) return []
    return [stampedWith(type, field, term)]
  })
}

function isToday(term: TermNode): boolean {
  return term.kind === 'now' && term.zone !== undefined
}

/** That a field has the value of its stamp. */
export function stampedWith(type: TypeModel, field: FieldNode, term: TermNode): ConditionNode {
  if (term.kind === 'literal' && term.value === null) return presenceNode(field, false)
  // A day is cut from a time, unless it is the day that rules call today.
  const isCut = fieldOf(type, field.path[0] as string).held === 'day' && !isToday(term)
  return isCut ? presenceNode(field, true) : compareNode(field, 'is', term)
}
