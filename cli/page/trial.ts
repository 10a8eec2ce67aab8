// A trial: changes that are never written, at most one for each record, person or rule.
import type { Trial } from './engine/types.js'

export const NOTHING: Trial = { records: [], people: [], off: [] }

export const isNothing = ({ records, people, off }: Trial): boolean => records.length + people.length + off.length === 0

/** One change, and the trial without it. */
export interface TrialChange {
  readonly words: string
  readonly without: Trial
}

/** The changes of a trial, in words. */
export function changesOf(trial: Trial): TrialChange[] {
  return [
    ...trial.records.map(({ type, key, record }, at) => ({
      words: record === null ? `${type} ${key} removed` : `${type} ${key}`,
      without: { ...trial, records: trial.records.filter((_, one) => one !== at) },
    })),
    ...trial.people.map(({ name }, at) => ({
      words: `${name}’s claims`,
      without: { ...trial, people: trial.people.filter((_, one) => one !== at) },
    })),
    ...trial.off.map(({ type, title, action }, at) => ({
      words: `${type} without “${title}”${action === undefined ? '' : ` for ${action}`}`,
      without: { ...trial, off: trial.off.filter((_, one) => one !== at) },
    })),
  ]
}

/** Adds a change to a trial. It replaces an earlier change of the same record or person. */
export function withRecord(trial: Trial, one: Trial['records'][number]): Trial {
  return { ...trial, records: [...trial.records.filter(({ type, key }) => type !== one.type || key !== one.key), one] }
}

export function withPerson(trial: Trial, one: Trial['people'][number]): Trial {
  return { ...trial, people: [...trial.people.filter(({ name }) => name !== one.name), one] }
}

export function withoutRule(trial: Trial, one: Trial['off'][number]): Trial {
  return {
    ...trial,
    off: [...trial.off.filter(({ type, title, action }) => type !== one.type || title !== one.title || action !== one.action), one],
  }
}
