import type { ConditionNode } from '../condition/index.js'
import { type ClauseNode, isKeyField, type Model, typeModel } from '../rulebook/index.js'
import type { Encoder } from './encoder.js'
import type { Around } from './encoding.js'
import { clausesOf, countsFor } from './permissions.js'
import type { Literal } from './solver.js'

/** How a condition becomes a literal: with the records as they are stored, or as they are after a write. */
export type Encode = (node: ConditionNode, around: Around, result?: boolean) => Literal

/** Which clauses may let a field be changed, and when they are asked. */
export interface Letting {
  readonly clauses?: (clause: ClauseNode) => boolean
  readonly encode?: Encode
}

/** What an update cannot change: the key, and the fields of which no clause counts. */
export function unchanged(encoder: Encoder, model: Model, name: string, around: Around, letting: Letting = {}): Literal[] {
  const { clauses = () => true, encode = (node, at) => encoder.encode(node, at) } = letting
  const { solver, yes } = encoder.values
  const type = typeModel(model, name)
  const stamped = Object.keys(type.rules?.stamps.update ?? {})
  const same = new Map<string, Literal>()
  const literals: Literal[] = []
  for (const field of Object.keys(type.fields)) {
    if (isKeyField(type, field)) same.set(field, yes)
    if (isKeyField(type, field) || stamped.includes(field)) continue
    const is = solver.variable(true)
    same.set(field, is)
    const some = clausesOf(type, 'update', field).filter(clauses)
    literals.push(encoder.any([is, ...some.map((clause) => encode(countsFor(model, clause, 'update'), around))]))
  }
  const { record, after } = around
  if (record !== undefined && after !== undefined)
    encoder.individuals.twins(record, after, ({ path }) => [same.get(path[0] as string) ?? -yes])
  return literals
}

/**
 * Where an example is wanted: a value that can be compared, or a list that has an element more or less. A list may also change by having one
 * more often, or in another order, so a proof cannot use this.
 */
export function plainChange(encoder: Encoder, field: string | undefined, { record, after }: Around): Literal[] {
  if (!encoder.isPlain || field === undefined || record === undefined || after === undefined) return []
  const [before, changed] = [encoder.individuals.slot(record, [field]), encoder.individuals.slot(after, [field])]
  if (before.field.type === 'group' || before.field.type === 'other') return []
  if (before.list === undefined || changed.list === undefined) return [encoder.any([before.proper, changed.proper])]
  const { values } = encoder
  const element = before.field.values?.[0]
  const value = element === undefined ? values.value(before.value.family, before.value.whole) : values.literal(before.value.family, element)
  const [had, has] = [values.has(before.list, value), values.has(changed.list, value)]
  return [encoder.any([encoder.all([has, -had]), encoder.all([had, -has])])]
}
