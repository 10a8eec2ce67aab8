import { COMPARISONS, type Comparison, listSides, PachterError } from '../../condition/index.js'
import {
  type ComparisonMethods,
  type Condition,
  type Field,
  fieldOf,
  isUnlisted,
  type TypeModel,
  UnknownNameError,
  unlistedFrom,
} from '../../rulebook/index.js'

/** A value or filter, given as text, cannot be read. */
export class TextError extends PachterError {
  constructor(at: string, problem: string) {
    super('BAD_TEXT', `${at}: ${problem}`)
  }
}

/**
 * Reads a value from text according to its field. `null` is null. Objects, and lists with brackets, are JSON; other lists are separated by
 * commas. @throws TextError
 */
export function valueFromText(field: Field, text: string, at: string): unknown {
  if (text === 'null') return null
  if (field.list) return text.trim().startsWith('[') ? json(text, at) : listOf(field, text, at)
  if (isUnlisted(field)) return unlistedFrom(field, text)
  if (field.type === 'group' || field.type === 'other') return json(text, at)
  if (field.type === 'boolean') {
    if (text !== 'true' && text !== 'false') throw new TextError(at, `needs true or false, not ${JSON.stringify(text)}`)
    return text === 'true'
  }
  if (field.type === 'integer' || field.type === 'number') {
    const number = text.trim() === '' ? Number.NaN : Number(text)
    if (!Number.isFinite(number)) throw new TextError(at, `needs a number, not ${JSON.stringify(text)}`)
    return number
  }
  if (field.type === 'time' && field.held === 'date') return new Date(text)
  return /^".*"$/s.test(text) ? json(text, at) : text
}

function listOf({ list: _list, ...single }: Field, text: string, at: string): unknown[] {
  return text === '' ? [] : text.split(',').map((part) => valueFromText(single, part.trim(), at))
}

function json(text: string, at: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    throw new TextError(at, `needs JSON, not ${text}`)
  }
}

type Terms = { readonly [name: string]: Terms } & ComparisonMethods & {
    isMissing(): Condition
    isPresent(): Condition
  }

/** The comparisons that a filter can use. */
export const FILTER_OPERATORS: readonly string[] = [...COMPARISONS, 'isMissing', 'isPresent']

/**
 * Converts a field, a comparison and a value to a filter of a list.
 * @throws TextError, UnknownNameError
 */
export function filterFromText(
  type: TypeModel,
  { path, by, value }: { readonly path: readonly string[]; readonly by: string; readonly value?: string | undefined },
  at: string,
): (record: unknown) => Condition {
  if (!FILTER_OPERATORS.includes(by)) throw new UnknownNameError('operator', by, FILTER_OPERATORS, at)
  const field = fieldAt(type, path)
  return (record) => {
    const term = path.reduce<Terms>((terms, step) => (terms.field as unknown as (name: string) => Terms)(step), record as Terms)
    if (by === 'isMissing' || by === 'isPresent') {
      if (value !== undefined && value !== '') throw new TextError(at, `${by} takes no value`)
      return term[by]()
    }
    if (value === undefined) throw new TextError(at, `${by} needs a value`)
    const { list: _list, ...single } = field
    const wanted = listSides(by as Comparison)[1] ? { ...single, list: true as const } : single
    return term[by as Comparison](valueFromText(wanted, value, at))
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
