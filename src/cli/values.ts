import { COMPARISONS, type Comparison, type Row } from '../condition/index.js'
import { type Condition, type Field, fieldOf, type TypeModel, UnknownNameError } from '../rulebook/index.js'
import { UsageError } from './errors.js'

/** Reads `--set field=value`, as often as given. Values are read by the type of their field. */
export function readSettings(type: TypeModel, settings: readonly string[]): Row {
  const row: Record<string, unknown> = {}
  for (const setting of settings) {
    const at = setting.indexOf('=')
    if (at < 1) throw new UsageError(`--set ${setting}: write field=value`)
    const name = setting.slice(0, at).trim()
    row[name] = readValue(fieldOf(type, name), setting.slice(at + 1), `--set ${name}`)
  }
  return row
}

/** A value as text, read by the type of its field. `null` is null; JSON is read where the field holds a list or an object. */
export function readValue(field: Field, text: string, at: string): unknown {
  if (text === 'null') return null
  if (field.list) return text.trim().startsWith('[') ? json(text, at) : listOf(field, text, at)
  if (field.type === 'group' || field.type === 'other') return json(text, at)
  if (field.type === 'boolean') {
    if (text !== 'true' && text !== 'false') throw new UsageError(`${at}: true or false is needed, not ${JSON.stringify(text)}`)
    return text === 'true'
  }
  if (field.type === 'integer' || field.type === 'number') {
    const number = text.trim() === '' ? Number.NaN : Number(text)
    if (!Number.isFinite(number)) throw new UsageError(`${at}: a number is needed, not ${JSON.stringify(text)}`)
    return number
  }
  if (field.type === 'time' && field.held === 'date') return new Date(text)
  return /^".*"$/s.test(text) ? json(text, at) : text
}

function listOf({ list: _list, ...single }: Field, text: string, at: string): unknown[] {
  return text === '' ? [] : text.split(',').map((part) => readValue(single, part.trim(), at))
}

function json(text: string, at: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    throw new UsageError(`${at}: JSON is needed, not ${text}`)
  }
}

type Terms = { readonly [name: string]: Terms } & { readonly [by in Comparison]: (value: unknown) => Condition } & {
  isMissing(): Condition
  isPresent(): Condition
}

const SHORT = /^([^\s=]+)\s*=\s*(.*)$/s
const LONG = /^(\S+)\s+(\S+)(?:\s+(.*))?$/s
const OPERATORS = [...Object.keys(COMPARISONS), 'isMissing', 'isPresent']

/**
 * Reads `--where`: `field=value`, or `field operator value` with the operators of the rules, as in
 * `rentDue isAtLeast 30`, `state isOneOf vacant,ending`, `holderId isMissing`.
 */
export function readWhereText(type: TypeModel, text: string): (record: unknown) => Condition {
  const long = LONG.exec(text)
  const short = SHORT.exec(text)
  const isLong = long !== null && (short === null || OPERATORS.includes(long[2] as string))
  const [, path = '', by = 'is', value] = isLong ? long : short ? [short[0], short[1], 'is', short[2]] : []
  if (path === '') throw new UsageError(`--where ${text}: write field=value, or field operator value, as in "rentDue isAtLeast 30"`)
  if (!OPERATORS.includes(by)) throw new UnknownNameError('operator', by, OPERATORS, `--where ${text}`)
  const steps = path.split('.')
  const field = fieldAt(type, steps)
  return (record) => {
    const term = steps.reduce<Terms>((terms, step) => (terms.field as unknown as (name: string) => Terms)(step), record as Terms)
    if (by === 'isMissing' || by === 'isPresent') {
      if (value !== undefined) throw new UsageError(`--where ${text}: ${by} takes no value`)
      return term[by]()
    }
    if (value === undefined) throw new UsageError(`--where ${text}: ${by} needs a value`)
    const { lists } = COMPARISONS[by as Comparison]
    const { list: _list, ...single } = field
    const wanted = lists === 'right' || lists === 'both' ? { ...single, list: true as const } : single
    return term[by as Comparison](readValue(wanted, value, `--where ${path}`))
  }
}

function fieldAt(type: TypeModel, [name = '', ...steps]: readonly string[]): Field {
  let field = fieldOf(type, name)
  for (const step of steps) {
    const inner: Field | undefined = field.fields?.[step]
    if (inner === undefined) throw new UnknownNameError('field', step, Object.keys(field.fields ?? {}), type.name)
    field = inner
  }
  return field
}
