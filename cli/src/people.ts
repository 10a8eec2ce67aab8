import type { Row } from 'pachter/internal/condition'
import { isKeyField, type TypeModel } from 'pachter/internal/rulebook'
import { UsageError } from './errors.js'
import type { CliSession } from './session.js'

/** The people of a matrix: the named ones, or all. */
export function peopleOf(session: CliSession, named: readonly string[]): { readonly [name: string]: Row | null } {
  const people = named.length === 0 ? session.allPeople() : [...new Set(named)].map((name) => session.person(name))
  const system = people.find(({ claims }) => claims === undefined)
  if (system !== undefined) throw new UsageError('--for system: no rules apply to the system. Name people.')
  return Object.fromEntries(people.map(({ name, claims }) => [name, claims ?? null]))
}

/** Fields in words: all, all but a few, or a list. */
export function fieldsSaid(type: TypeModel, fields: readonly string[] | undefined): string {
  if (fields === undefined) return 'all'
  const others = Object.keys(type.fields).filter((name) => !isKeyField(type, name) && !fields.includes(name))
  if (others.length < fields.length) return `all but ${others.join(', ')}`
  return fields.join(', ') || 'the key only'
}
