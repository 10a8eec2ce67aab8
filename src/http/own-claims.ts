import { type ClaimNode, type ConditionNode, type FieldNode, linkedAs, mapTerms, type Row } from '../condition/index.js'
import { type ClauseNode, keyOf, type Model, type TypeModel, type TypeRules, toCondition, typeModel } from '../rulebook/index.js'
import type { GuardedStore } from '../store/index.js'
import { keyIsOneOf } from '../store/read/key-conditions.js'
import { type FurtherLink, type InnerViewpoint, linksOfMe, startOfLink } from '../viewpoint/index.js'

/** Whether a claim comes from a record linked to the person, and from a field that they may not see. */
export type IsHidden = (claim: ClaimNode) => boolean

/** What a person may see of the records linked to them. Their page rules must contain nothing else. */
export async function hiddenClaims(store: GuardedStore, { model, me }: InnerViewpoint): Promise<IsHidden> {
  if (me === null) return () => false
  // For each linked record, by its links: the fields that the person sees; undefined for all of them.
  const seen = new Map<string, readonly string[] | undefined>()
  for (const { path, link } of linksOfMe(model)) {
    if (link.many) continue
    const type = typeModel(model, link.to)
    const record = startOfLink(me as Row, [...path, '']) as Row | undefined
    const before = path.slice(0, -1).join('.')
    // If the way to a record is hidden, all of its fields are: they would reveal the way.
    const fields = seen.get(before)
    const isOpen = path.length === 1 || (seen.has(before) && link.by.every(({ from }) => fields?.includes(from.path[0] as string) ?? true))
    if (!isOpen) seen.set(path.join('.'), [])
    else if (record !== undefined) {
      const verdict = await store.verdict('read', type.name, keyOf(type, record))
      seen.set(path.join('.'), verdict.allowed ? verdict.fields && [...type.keys, ...verdict.fields] : [])
    }
  }
  return ({ path, links = 0 }) => {
    for (let step = 1; step <= links; step++) {
      const at = path.slice(0, step).join('.')
      const fields = seen.get(at)
      const name = path[step]
      if (fields !== undefined && (step < links ? fields.length === 0 : !fields.includes(name as string))) return true
    }
    return false
  }
}

/**
 * The links of the person to many whose records they do not see with every field. Rules must not tell what these contain. A record that may
 * be told is one that the person could read anyway.
 */
export async function hiddenLinks(store: GuardedStore, { model, me }: InnerViewpoint): Promise<readonly string[]> {
  const hidden: string[] = []
  for (const { path, link, further } of linksOfMe(model)) {
    const rows = link.many && me !== null ? ((me as Row)[path[0] as string] as readonly Row[] | undefined) : undefined
    if (rows === undefined || rows.length === 0) continue
    if (!(await areWhole(store, model, { link, further }, rows))) hidden.push(path[0] as string)
  }
  return hidden
}

/** Whether the person sees all fields of records, and of those that further links lead to. */
async function areWhole(store: GuardedStore, model: Model, { link, further }: FurtherLink, rows: readonly Row[]): Promise<boolean> {
  if (rows.length === 0) return true
  const type = typeModel(model, link.to)
  const keys = [...new Set(rows.map((row) => keyOf(type, row)))]
  const isOne = () => toCondition(keyIsOneOf(type, keys))
  const shown = new Map((await store.list(type.name, { where: isOne as never })).map((row) => [keyOf(type, row as Row), row as Row]))
  const isWhole = (row: Row) =>
    Object.keys(row).every((field) => !Object.hasOwn(type.fields, field) || Object.hasOwn(shown.get(keyOf(type, row)) ?? {}, field))
  if (!rows.every(isWhole)) return false
  for (const one of further) {
    const found = rows.flatMap((row) => (row[linkedAs(one.link)] ?? []) as readonly Row[])
    if (!(await areWhole(store, model, one, found))) return false
  }
  return true
}

// No record has such a field, so a page never knows its value.
const UNKNOWN = '\0unknown'

const made = new WeakMap<Model, Map<string, Model>>()

/** The same rules with hidden claims replaced by unknown values. */
export function withUnknown(model: Model, isHidden: IsHidden): Model {
  const hidden = new Set<string>()
  const unknown = (node: ConditionNode) =>
    mapTerms(node, (leaf) => {
      if (leaf.kind !== 'claim' || !isHidden(leaf)) return leaf
      hidden.add(leaf.path.join('.'))
      const { type, list } = leaf
      return { kind: 'field', of: 'record', path: [UNKNOWN], type, optional: true, ...(list ? { list } : {}) } as FieldNode
    })
  const types = Object.fromEntries(Object.entries(model.types).map(([name, type]) => [name, typeWith(type, unknown)]))
  const changed: Model = { ...model, types, ...(model.gate ? { gate: unknown(model.gate) } : {}) }
  if (hidden.size === 0) return model
  // Prepared once for each model. People with the same hidden fields share the result.
  const known = made.get(model) ?? new Map<string, Model>()
  made.set(model, known)
  const id = [...hidden].sort().join('\n')
  const there = known.get(id) ?? changed
  known.set(id, there)
  return there
}

function typeWith(type: TypeModel, unknown: (node: ConditionNode) => ConditionNode): TypeModel {
  const { rules } = type
  if (rules === undefined) return type
  const clauseWith = (clause: ClauseNode): ClauseNode => ({
    ...clause,
    when: unknown(clause.when),
    ...(clause.afterwards ? { afterwards: unknown(clause.afterwards) } : {}),
  })
  const worded = <W extends { readonly when: ConditionNode }>(all: readonly W[]) => all.map((one) => ({ ...one, when: unknown(one.when) }))
  const { gateMessages } = rules
  const changed: TypeRules = {
    ...rules,
    gates: Object.fromEntries(Object.entries(rules.gates).map(([action, node]) => [action, unknown(node)])),
    ...(gateMessages
      ? { gateMessages: Object.fromEntries(Object.entries(gateMessages).map(([action, all]) => [action, worded(all)])) }
      : {}),
    vetoes: worded(rules.vetoes),
    may: Object.fromEntries(
      Object.entries(rules.may).map(([action, clauses]) => [action, clauses.map(clauseWith)]),
    ) as unknown as TypeRules['may'],
  }
  return { ...type, rules: changed }
}
