// The scenario with the trial applied.
import type { Row } from 'pachter/internal/condition'
import { type Ground, groundOf, typesAsked } from 'pachter/internal/review'
import { keyOf, type Model, typeModel } from 'pachter/internal/rulebook'
import { isNothing } from '../trial.js'
import type { Trial } from './types.js'

/** The record types whose matrices the trial may change. */
export function affected(model: Model, { records, people, off }: Trial): string[] {
  const touched = new Set(records.map(({ type }) => type))
  const isAsked = (type: string) => [...typesAsked(model, type, { asStored: true })].some((asked) => touched.has(asked))
  return Object.keys(model.types).filter(
    (type) => people.length > 0 || touched.has(type) || off.some((rule) => rule.type === type) || isAsked(type),
  )
}

/** The rules, people and records with the trial applied. @throws ClaimsError, UnknownNameError */
export function changed(base: Ground, trial: Trial): Ground {
  if (isNothing(trial)) return base
  const { records, people, off } = trial
  const model = off.reduce((left, { type, title, action }) => left.without(type as never, title, action as never), base.book).model
  const next: Record<string, readonly object[]> = { ...(base.records as Record<string, readonly object[]>) }
  for (const { type, key, record } of records) {
    const known = typeModel(model, type)
    const rows = next[type] ?? []
    const at = rows.findIndex((row) => keyOf(known, row as Row) === key)
    next[type] =
      record === null
        ? rows.filter((_, one) => one !== at)
        : at < 0
          ? [...rows, record]
          : rows.map((row, one) => (one === at ? record : row))
  }
  const claims = Object.fromEntries(people.map(({ name, claims: given }) => [name, given]))
  // New people come before the reserved ones.
  const { unknown, visitor, ...others } = { ...base.people, ...claims }
  const all = { ...others, ...(unknown === undefined ? {} : { unknown }), visitor: visitor ?? null }
  return groundOf({ model }, { people: all, records: next, now: base.now })
}
