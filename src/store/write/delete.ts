import { allOfNode, anyOfNode, type ConditionNode, isMissing, notRemoved, type Row, simplify, TRUE } from '../../condition/index.js'
import { isKeyField, type Key, keyOf, type Model, type Reference, referencesTo, type TypeModel, typeModel } from '../../rulebook/index.js'
import { stampValues, verdictOf } from '../../viewpoint/index.js'
import type { Along } from '../allowed-verdict.js'
import { DeniedError, denied, InvalidError } from '../errors.js'
import { checkOpen, deny, holding, type Operation, seeOne, visible } from '../operation.js'
import { placesHold } from '../read/key-conditions.js'
import type { Tables, Target } from '../tables.js'
import { asStored, fitRecord, isWithin } from './fit.js'
import { named, withUnnamed } from './nested.js'
import { lacksStamp } from './read-back.js'
import { defined, difference, withoutNames } from './sent-fields.js'
import { judgeUpdate, type UpdateOptions } from './update.js'

/** One step of a deletion. The record itself is the last. */
interface Step {
  /** A text that is the same for equal steps, if several deletions share them. */
  readonly id: string
  readonly apply: (op: Operation) => Promise<unknown>
}

/** A deletion that has been judged and may be done. */
interface DeletePlan {
  readonly key: Key
  readonly along: readonly Along[]
  readonly steps: readonly Step[]
  /** The clause that allows it. */
  readonly clause: string | undefined
  /** The last step without its condition: for a record that has been judged together with others. */
  readonly last: Step
}

/** How a record is deleted. */
interface DeleteOptions extends Pick<UpdateOptions, 'match' | 'seen'> {
  /** Deletes it even if records of its type are removed and not deleted. */
  readonly forGood?: boolean
}

/** The record types that may be deleted or unlinked together with one of this type. */
export function typesAlong(model: Model, type: TypeModel, met: Set<string> = new Set()): string[] {
  for (const { type: name, onDelete } of referencesTo(model, type.name)) {
    if (met.has(name)) continue
    met.add(name)
    if (onDelete !== 'refuse') typesAlong(model, typeModel(model, name), met)
  }
  return [...met]
}

/**
 * Judges a deletion and everything that it includes: by their links, records that lead to it block it, are deleted or unlinked as the
 * asker's own action, or follow it. @throws NotFoundError, RefusedError
 */
export async function judgeDelete(
  op: Operation,
  type: TypeModel,
  key: Key,
  { match, seen, forGood = false }: DeleteOptions = {},
): Promise<DeletePlan> {
  const { row, shown } = seen ?? (await visible(op, type, 'delete', key))
  await match?.(shown)
  const clause = await checkDelete(op, type, row)
  const met = new Set([idOf(type, key)])
  const along = await stepsAlong(op, type, row, { met, forGood, refuse: (by) => refusal(op, type, key, by) })
  const last = await goneStep(op, type, row, forGood)
  // A rule may depend on records that are deleted too. It has been judged already, and is not judged again.
  const steps = [...along, along.length === 0 ? last(simplify(deletable(op, type))) : last(TRUE)]
  return { key, along: along.map(({ along: one }) => one), clause, steps, last: last(TRUE) }
}

/** A condition for the records of a type that the asker may delete, whatever else is deleted with them. */
export function deletable({ asker }: Operation, { name }: TypeModel): ConditionNode {
  const { open, clauses } = asker.rules(name, 'delete')
  return allOfNode([asker.readable(name), open.when, anyOfNode(clauses.map(({ when }) => when))])
}

/** Runs the steps of a deletion. `gone` contains what was done already, if several deletions were judged together. */
export async function applyDelete(op: Operation, type: TypeModel, { key, steps, last }: DeletePlan, gone?: Set<string>): Promise<void> {
  for (const step of steps) {
    if (gone?.has(step.id)) continue
    gone?.add(step.id)
    try {
      await (gone !== undefined && step === steps.at(-1) ? last : step).apply(op)
    } catch (error) {
      throw error instanceof DeniedError ? deny(type, 'delete', 'refused', key) : error
    }
  }
}

/** A text that is the same for the same record. */
export function idOf(type: TypeModel, key: Key): string {
  return `${type.name} ${JSON.stringify(key)}`
}

/** Deletes the record, or stamps it if records of its type are removed, provided that the condition holds. */
async function goneStep(op: Operation, type: TypeModel, row: Row, forGood: boolean): Promise<(where: ConditionNode) => Step> {
  const key = keyOf(type, row)
  const stamps = forGood || type.removal === undefined ? undefined : await removalStamps(op, type, row)
  return (where) => ({
    id: idOf(type, key),
    async apply({ tables, env: { now } }) {
      const target = { key, where, now }
      const isGone = stamps === undefined ? (await tables.remove(type.name, target)) === 1 : await isStamped(tables, type, stamps, target)
      if (!isGone) throw deny(type, 'delete', 'refused', key)
    },
  })
}

/** What a removal changes; nothing if the record is removed already. @throws RefusedError, InvalidError */
async function removalStamps({ asker, env }: Operation, type: TypeModel, row: Row): Promise<Row> {
  if (isRemoved(type, row)) return {}
  const stamps = stampValues(type, 'delete', env)
  if (lacksStamp(asker, {}, stamps)) throw deny(type, 'delete', 'refused', keyOf(type, row))
  const names = Object.keys(stamps)
  const removed = asStored(type, { ...named(type, row), ...defined(stamps) })
  const fitted = await fitRecord(type, removed)
  // A deletion only stamps. Other values may be older than the shape, and do not keep the record from being removed.
  const faults = 'faults' in fitted ? fitted.faults.filter(({ field }) => names.some((name) => isWithin(field, name))) : []
  if (faults.length > 0) {
    if (asker.viewpoint === undefined) throw new InvalidError(type.name, faults)
    throw deny(type, 'delete', 'refused', keyOf(type, row))
  }
  const changed = difference(type, row, withUnnamed(type, row, 'faults' in fitted ? removed : fitted.record))
  return withoutNames(changed, (name) => !names.includes(name))
}

async function isStamped(tables: Tables, type: TypeModel, stamps: Row, target: Target): Promise<boolean> {
  if (Object.keys(stamps).length === 0) return true
  const kept = await tables.update(type.name, stamps, target)
  return kept !== undefined && isRemoved(type, kept)
}

function isRemoved({ removal }: TypeModel, row: Row): boolean {
  return removal !== undefined && !isMissing(row[removal], 'time')
}

/** Refuses what the rules do not allow to delete; returns the clause that allows it. */
async function checkDelete(op: Operation, type: TypeModel, row: Row): Promise<string | undefined> {
  const rules = op.asker.rules(type.name, 'delete')
  await checkOpen(op, type, 'delete', rules, row)
  const clauses = await holding(op, rules.clauses, row)
  if (clauses.length === 0) throw deny(type, 'delete', 'refused', keyOf(type, row))
  return clauses[0]?.clause?.title
}

interface Walk {
  /** Whether what is only removed otherwise is deleted. */
  readonly forGood: boolean
  /** The records deleted already: chains may contain cycles. */
  readonly met: Set<string>
  /** The refusal of the whole deletion because of a record that leads to it. */
  readonly refuse: (by: { readonly type: TypeModel; readonly key: Key }) => Promise<DeniedError>
}

/** A step that concerns another record. */
interface StepAlong extends Step {
  readonly along: Along
}

/** Of the records that a deletion concerns, those that the asker sees. */
export async function seenAlong(op: Operation, along: readonly Along[]): Promise<readonly Along[]> {
  const seen: Along[] = []
  for (const one of along) if ((await seeOne(op, typeModel(op.asker.model, one.type), one.key)) !== undefined) seen.push(one)
  return seen
}

async function stepsAlong(op: Operation, type: TypeModel, row: Row, walk: Walk): Promise<StepAlong[]> {
  const steps: StepAlong[] = []
  const stays = type.removal !== undefined && !walk.forGood
  for (const reference of referencesTo(op.asker.model, type.name, walk.forGood ? 'for good' : undefined)) {
    const owner = typeModel(op.asker.model, reference.type)
    const held = placesHold(reference.places, type, keyOf(type, row))
    const where = stays ? heldBy(owner, held) : held
    const found = await op.tables.select(owner.name, { where, now: op.env.now, ...(op.relied ? { lock: 'update' } : {}) })
    for (const { row: child } of found) {
      if (walk.met.has(idOf(owner, keyOf(owner, child)))) continue
      steps.push(...(await stepsOf(op, owner, child, reference, keyOf(type, row), walk)))
    }
  }
  return steps
}

/** What happens to one record that holds the key of a deleted one. */
async function stepsOf(op: Operation, owner: TypeModel, child: Row, reference: Reference, gone: Key, walk: Walk): Promise<StepAlong[]> {
  const key = keyOf(owner, child)
  const by = { type: owner, key }
  if (reference.onDelete === 'refuse') throw await walk.refuse(by)
  if (reference.onDelete === 'unlink') return [await unlinking(op, owner, child, reference, gone, walk, by)]
  walk.met.add(idOf(owner, key))
  if (reference.onDelete === 'delete') {
    const seen = await seeOne(op, owner, key)
    const refused = seen === undefined || (await refusedBy(() => checkDelete(op, owner, child)))
    if (refused) throw await walk.refuse(by)
  }
  const effect = owner.removal === undefined || walk.forGood ? 'delete' : 'remove'
  const step = (await goneStep(op, owner, child, walk.forGood))(TRUE)
  return [...(await stepsAlong(op, owner, child, walk)), { ...step, along: { type: owner.name, key, effect } }]
}

/** Of the records that hold the key of a record that stays: those that are not removed themselves. */
export function heldBy({ removal }: TypeModel, where: ConditionNode): ConditionNode {
  return removal === undefined ? where : allOfNode([where, notRemoved({ path: [removal], type: 'time' }, 'record')])
}

async function unlinking(
  op: Operation,
  owner: TypeModel,
  child: Row,
  reference: Reference,
  gone: Key,
  walk: Walk,
  by: Parameters<Walk['refuse']>[0],
): Promise<StepAlong> {
  const key = keyOf(owner, child)
  try {
    const { changed } = await judgeUpdate(op, owner, key, unlinked(owner, reference, child, gone))
    return {
      id: `${idOf(owner, key)} without ${JSON.stringify(gone)}`,
      along: { type: owner.name, key, effect: 'unlink' },
      async apply({ tables, env }) {
        // Another deletion of the same call may have removed its own key from the list meanwhile.
        const [found] = await tables.select(owner.name, { where: TRUE, key, now: env.now, limit: 1 })
        if (found !== undefined)
          await tables.update(
            owner.name,
            { ...changed, ...unlinked(owner, reference, found.row, gone) },
            { key, where: TRUE, now: env.now },
          )
      },
    }
  } catch (error) {
    if (error instanceof DeniedError || error instanceof InvalidError) throw await walk.refuse(by)
    throw error
  }
}

/**
 * The change that removes the link to a deleted record. Of several fields, those that can be empty are cleared: one missing value is enough
 * for the link to lead nowhere, and others, such as a tenant's, belong to the record itself.
 */
export function unlinked(owner: TypeModel, { places }: Reference, row: Row, gone: Key): Row {
  const [only] = places
  if (only === undefined) return {}
  const names = places.map(({ path }) => path[0] as string)
  if (names.length === 1)
    return { [names[0] as string]: only.list ? (row[names[0] as string] as readonly unknown[]).filter((value) => value !== gone) : null }
  const clearable = names.filter((name) => owner.fields[name]?.optional === true && !isKeyField(owner, name))
  return Object.fromEntries((clearable.length > 0 ? clearable : names).map((name) => [name, null]))
}

async function refusedBy(work: () => Promise<unknown>): Promise<boolean> {
  try {
    await work()
    return false
  } catch (error) {
    if (error instanceof DeniedError) return true
    throw error
  }
}

/** A blocking record is named only to an asker who sees it. */
async function refusal(
  op: Operation,
  type: TypeModel,
  key: Key,
  by: { readonly type: TypeModel; readonly key: Key },
): Promise<DeniedError> {
  const seen = await seeOne(op, by.type, by.key)
  return denied(verdictOf(type, 'delete', 'refused', key, { message: seen && blockedBy(by.type, by.key) }))
}

export function blockedBy({ name }: TypeModel, key: Key): string {
  return `The ${name} ${key} belongs to it. Delete that first.`
}
