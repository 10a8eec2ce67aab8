// A search over all people of the records.
import type { Row } from 'pachter/internal/condition'
import type { Ground, Project } from 'pachter/internal/review'
import { isKeyField, keyOf, typeModel } from 'pachter/internal/rulebook'
import type { PeopleFound } from './types.js'

const MOST = 8

/** The people with this text in their key or a field; without a text, the first ones. */
export function peopleWith({ model, records }: Ground, everyone: Project['everyone'], text: string): PeopleFound {
  if (everyone === undefined) return { count: 0, first: [] }
  const type = typeModel(model, everyone.type)
  const wanted = text.trim().toLowerCase()
  const found = ((records[type.name] ?? []) as readonly Row[]).filter(
    (row) =>
      Object.hasOwn(everyone.people, String(keyOf(type, row))) &&
      Object.values(row).some((value) => [value].flat().some((one) => isText(one) && String(one).toLowerCase().includes(wanted))),
  )
  const first = found.slice(0, MOST).flatMap((row) => {
    const key = String(keyOf(type, row))
    const fields = Object.entries(row).filter(([name, value]) => !isKeyField(type, name) && isText(value) && !/Id$|At$/.test(name))
    // The fields with the text come first.
    const label = fields
      .toSorted(([, a], [, b]) => Number(String(b).toLowerCase().includes(wanted)) - Number(String(a).toLowerCase().includes(wanted)))
      .slice(0, 2)
      .map(([, value]) => String(value))
    return (everyone.people[key] ?? []).map(({ name, claims }) => ({ key: name, label: label.join(', '), claims }))
  })
  return { count: found.length, first }
}

const isText = (value: unknown): value is string | number => typeof value === 'string' || typeof value === 'number'
