import { type Example, type GuaranteeNode, type Permission, type Promotion, recordsAfter } from 'pachter/internal/prove'
import { keyOf, type Model, typeModel } from 'pachter/internal/rulebook'
import { changedFields, type Rulebook } from 'pachter/internal/viewpoint'
import { cell, printable } from './table.js'

type Row = Readonly<Record<string, unknown>>
const DOES: { readonly [action: string]: string } = { read: 'reads', create: 'creates', update: 'updates', delete: 'deletes' }
const DOES_TO_FIELD: { readonly [action: string]: string } = { read: 'sees', create: 'sends', update: 'changes' }
const SHORT = 'T12:00:00.000Z'

/** An example in lines: what the person does, and the few records that matter. */
export function exampleLines(book: Rulebook, { type, action, field }: Permission, example: Example): string[] {
  const { model } = book
  const { record = {}, becomes } = example
  const what = action === 'create' ? `a ${type}` : nameOf(model, type, record)
  const done = field === undefined ? `${DOES[action] ?? `does "${action}" to`} ${what}` : `${DOES_TO_FIELD[action]} ${field} of ${what}`
  const change = field !== undefined && becomes !== undefined ? `, from ${value(record[field])} to ${value(becomes[field])}` : ''
  return [
    `${who(model, example)} ${done}${change}`,
    ...recordLines(model, example, action === 'create' ? type : undefined),
    ...byLines(book, { type, action, field }, example),
    atLine(example),
  ]
}

/** Who has a privilege or may call a routine that a guarantee excludes, in lines. */
export function grantLines({ model }: Rulebook, { never, of }: GuaranteeNode, example: Example): string[] {
  const does = of === 'privilege' ? `has the privilege ${never}` : `may call ${never}`
  return [`${who(model, example)} ${does}`, ...recordLines(model, example, undefined), atLine(example)]
}

/** How a person gives themselves more, in lines: the write, what they may do then, and the few records that matter. */
export function promotionLines(book: Rulebook, { write, gain }: Pick<Promotion, 'write' | 'gain'>, example: Example): string[] {
  const { model } = book
  const { record = {}, becomes, target = {}, targetBecomes } = example
  const isNew = write.action === 'create'
  const written = isNew ? `a ${write.type}` : nameOf(model, write.type, record)
  const changed = write.action === 'update' ? changesOf(model, write.type, record, becomes) : []
  const gained = gain.action === 'update' ? changesOf(model, gain.type, target, targetBecomes) : []
  const then = `${DOES[gain.action] ?? `may "${gain.action}"`} ${nameOf(model, gain.type, target)}`
  return [
    `${who(model, example)} ${DOES[write.action]} ${[written, ...changed].join(', ')}`,
    `and then ${[then, ...gained].join(', ')}`,
    ...recordLines(model, example, isNew ? write.type : undefined),
    ...gainedBy(book, { write, gain }, example),
    atLine(example),
  ]
}

/** The clause that allows what the person could not do before. */
function gainedBy(book: Rulebook, { write, gain }: Pick<Promotion, 'write' | 'gain'>, example: Example): string[] {
  const { target, targetBecomes } = example
  if (target === undefined) return []
  const records = recordsAfter(book.model, write, example)
  const { becomes: _becomes, ...rest } = example
  const after = { ...rest, records, record: target, ...(targetBecomes === undefined ? {} : { becomes: targetBecomes }) }
  return byLines(book, gain, after, 'then allowed by')
}

function nameOf(model: Model, type: string, row: Row): string {
  return `${type} ${String(keyOf(typeModel(model, type), row))}`
}

function changesOf(model: Model, name: string, before: Row, after: Row = before): string[] {
  const type = typeModel(model, name)
  const stamped = Object.keys(type.rules?.stamps.update ?? {})
  return changedFields(type, before, after)
    .filter((field) => !stamped.includes(field))
    .map((field) => `${field} from ${value(before[field])} to ${value(after[field])}`)
}

/** The person, the stored records, and the new one. */
function recordLines(model: Model, example: Example, created: string | undefined): string[] {
  const { me, record = {} } = example
  const rows = Object.entries(example.records).flatMap(([name, all]) => all.map((row) => [name, row] as const))
  const told = [
    ...(me === null ? [] : [line('me', me, example, model)]),
    ...rows.map(([name, row]) => line(name, row, example, model)),
    ...(created === undefined ? [] : [line(created, record, example, model)]),
  ]
  const width = Math.max(0, ...told.map(([name]) => name.length))
  return told.map(([name, text]) => `  ${name.padEnd(width)}  ${text}`)
}

function atLine({ now }: Example): string {
  return `  at ${time(new Date(now).toISOString())}`
}

function who(model: Model, { me }: Example): string {
  return me === null ? 'a visitor' : String(me[model.me.key])
}

/** The clause that allows it, and the routine within which it does. */
export function clauseOf(
  book: Rulebook,
  { type, action }: Permission,
  { me, now, records, record, becomes }: Example,
): { readonly title: string; readonly within?: string } | undefined {
  if (record === undefined) return undefined
  const options = { now: new Date(now), records: records as never }
  for (const within of [undefined, ...Object.keys(book.model.routines)]) {
    const view = book.for(me, within === undefined ? options : { ...options, within: within as never })
    const verdict = view.verdict(action as 'read', type, record as never, becomes as never)
    if (verdict.allowed) return { title: verdict.clause ?? '', ...(within === undefined ? {} : { within }) }
  }
  return undefined
}

function byLines(book: Rulebook, permission: Permission, example: Example, word = 'allowed by'): string[] {
  const clause = clauseOf(book, permission, example)
  if (clause === undefined) return []
  return [`  ${word} "${printable(clause.title)}"${clause.within === undefined ? '' : `, within ${clause.within}`}`]
}

/** A record with its key and the fields that matter. */
function line(type: string, row: Row, { told }: Example, model: Model): readonly [string, string] {
  const keys = type === 'me' ? [model.me.key] : typeModel(model, type).keys
  const names = (told[type] ?? []).filter((name) => !keys.includes(name) && row[name] !== undefined && row[name] !== null)
  const key = keys.map((name) => value(row[name])).join(', ')
  return [type, printable([key, ...names.map((name) => `${name} ${value(row[name])}`)].join(', '))]
}

function value(given: unknown): string {
  if (given === undefined || given === null) return 'nothing'
  if (Array.isArray(given)) return given.length === 0 ? 'empty' : given.map(value).join(' and ')
  return given instanceof Date ? time(given.toISOString()) : typeof given === 'string' ? time(given) : cell(given)
}

/** The usual hour of examples is left out. */
function time(text: string): string {
  return text.endsWith(SHORT) ? text.slice(0, -SHORT.length) : text
}
