import type { Row } from '../condition/index.js'
import type { Model, Shape, TypeModel } from '../rulebook/index.js'
import type { Example } from './example.js'

/** Other forms of a made-up text, for shapes that accept only such. */
const FORMS: readonly ((text: string, at: number) => string)[] = [
  (text) => `${text}@example.org`,
  (text) => `https://example.org/${text}`,
  (_text, at) => `00000000-0000-4000-8000-${String(at).padStart(12, '0')}`,
  (_text, at) => `2026-01-${String(1 + (at % 28)).padStart(2, '0')}`,
  (_text, at) => `+49 30 ${String(at).padStart(6, '0')}`,
  (text) => text.replaceAll(/[^A-Za-z]/g, ''),
  (text) =>
    text
      .replaceAll(/[^A-Za-z]/g, '')
      .toUpperCase()
      .slice(0, 2),
  (_text, at) => String(at),
  (text) => text.padEnd(24, '-x'),
]
const MOST = 60

/** What of an example its shape does not accept. */
export interface Misfit {
  readonly at: string
  readonly message: string
  readonly value: unknown
}

/** What of an example does not fit its shape: nothing, usually. */
export function misfitsIn(model: Model, { me, records, record, becomes }: Example, type: string | undefined): readonly Misfit[] {
  const stored = Object.entries(records).flatMap(([name, rows]) => rows.map((row) => [name, row] as const))
  const asked = [record, becomes].flatMap((row) => (row === undefined || type === undefined ? [] : [[type, row] as const]))
  const own = me === null ? [] : misfits('me', model.me.shape, me)
  return [...own, ...[...stored, ...asked].flatMap(([name, row]) => misfits(name, (model.types[name] as TypeModel).shape, row))]
}

function misfits(at: string, shape: Shape, row: Row): readonly Misfit[] {
  const result = shape['~standard'].validate(row)
  if (result instanceof Promise || result.issues === undefined) return []
  return result.issues.map(({ path: steps = [], message }) => {
    const path = steps.map((step) => (typeof step === 'object' ? step.key : step))
    const value = path.reduce<unknown>((from, step) => (from as { readonly [step: PropertyKey]: unknown } | undefined)?.[step], row)
    return { at: [at, ...path].join('.'), message, value }
  })
}

/** The example with made-up texts in forms that its shapes accept, as far as it still fits the question. */
export function inShape(model: Model, example: Example, type: string | undefined, fits: (example: Example) => boolean): Example {
  let shaped = example
  for (let turn = 0; turn < MOST; turn++) {
    const wrong = misfitsIn(model, shaped, type)
    const text = wrong.find(({ value }) => typeof value === 'string')?.value as string | undefined
    if (text === undefined) return shaped
    const better = FORMS.map((form) => replaced(shaped, text, form(text, turn + 1))).find(
      (one) => misfitsIn(model, one, type).length < wrong.length && fits(one),
    )
    if (better === undefined) return shaped
    shaped = better
  }
  return shaped
}

/** A copy in which a text is another one, wherever it occurs. What was one object is one again. */
export function replaced<T>(value: T, from: string, to: string, copies: Map<object, object> = new Map()): T {
  if (value === (from as unknown)) return to as T
  if (typeof value !== 'object' || value === null || value instanceof Date) return value
  const there = copies.get(value)
  if (there !== undefined) return there as T
  const copy = Array.isArray(value)
    ? value.map((one) => replaced(one, from, to, copies))
    : Object.fromEntries(Object.entries(value).map(([name, one]) => [name, replaced(one, from, to, copies)]))
  copies.set(value, copy)
  return copy as T
}
