import type { Example, Permission } from 'pachter/internal/prove'
import { keyOf, type Model, typeModel } from 'pachter/internal/rulebook'
import type { Rulebook } from 'pachter/internal/viewpoint'
import { cell, printable } from './table.js'

type Row = Readonly<Record<string, unknown>>
const DOES: { readonly [action: string]: string } = { read: 'reads', create: 'creates', update: 'updates', delete: 'deletes' }
const DOES_TO_FIELD: { readonly [action: string]: string } = { read: 'sees', create: 'sends', update: 'changes' }
const SHORT = 'T12:00:00.000Z'

/** An example in lines: what the person does, and the few records that matter. */
export function exampleLines(book: Rulebook, { type, action, field }: Permission, example: Example): string[] {
  const { model } = book
  const { record = {}, becomes, me, now } = example
  const what = action === 'create' ? `a ${type}` : `${type} ${String(keyOf(typeModel(model, type), record))}`
  const done = field === undefined ? `${DOES[action] ?? `does "${action}" to`} ${what}` : `${DOES_TO_FIELD[action]} ${field} of ${what}`
  const change = field !== undefined && becomes !== undefined ? `, from ${value(record[field])} to ${value(becomes[field])}` : ''
  const rows = Object.entries(example.records).flatMap(([name, all]) => all.map((row) => [name, row] as const))
  const told = [
    ...(me === null ? [] : [line('me', me, example, model)]),
    ...rows.map(([name, row]) => line(name, row, example, model)),
    ...(action === 'create' ? [line(type, record, example, model)] : []),
  ]
  const width = Math.max(0, ...told.map(([name]) => name.length))
  return [
    `${who(model, example)} ${done}${change}`,
    ...told.map(([name, text]) => `  ${name.padEnd(width)}  ${text}`),
    ...byLines(book, { type, action, field }, example),
    `  at ${time(new Date(now).toISOString())}`,
  ]
}

function who(model: Model, { me }: Example): string {
  return me === null ? 'a visitor' : String(me[model.me.key])
}

/** The clause that allows it. */
function byLines(book: Rulebook, { type, action }: Permission, { me, now, records, record, becomes }: Example): string[] {
  if (record === undefined) return []
  const options = { now: new Date(now), records: records as never }
  const routines = Object.keys(book.model.routines)
  for (const within of [undefined, ...routines]) {
    const view = book.for(me, within === undefined ? options : { ...options, within: within as never })
    const verdict = view.verdict(action as 'read', type, record as never, becomes as never)
    if (verdict.allowed) return [`  allowed by "${printable(verdict.clause ?? '')}"${within === undefined ? '' : `, within ${within}`}`]
  }
  return []
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
