import { readFileSync } from 'node:fs'
import type { SourcePlace, SourcePlaces } from 'pachter/internal/review'
import type { Model } from 'pachter/internal/rulebook'
import { shownPath } from './expectations.js'
import { sourcePlaces } from './source/source.js'

/** The source positions of clauses and vetoes, by title. */
export interface Places {
  clause(type: string, action: string, title: string): SourcePlace | undefined
  veto(type: string, title: string): SourcePlace | undefined
}

/** The source positions of the parts of a rulebook, relative to the working directory. */
export function sourcePlacesOf(model: Model): SourcePlaces {
  const places = sourcePlaces(model, readable)
  return {
    rules: (type) => shown(places.rules(type)),
    clause: (type, action, at) => shown(places.clause(type, action, at)),
    veto: (type, at) => shown(places.veto(type, at)),
    guarantee: (type, at) => shown(places.guarantee(type, at)),
    standing: (type, name) => shown(places.standing(type, name)),
    grant: (kind, name) => shown(places.grant(kind, name)),
  }
}

/** The same by title. */
export function placesOf(model: Model, places: SourcePlaces = sourcePlacesOf(model)): Places {
  const numberOf = (rules: readonly { readonly title: string }[] | undefined, title: string) =>
    (rules ?? []).findIndex((rule) => rule.title === title)
  return {
    clause(type, action, title) {
      const at = numberOf(model.types[type]?.rules?.may[action], title)
      return at < 0 ? undefined : places.clause(type, action, at)
    },
    veto(type, title) {
      const at = numberOf(model.types[type]?.rules?.vetoes, title)
      return at < 0 ? undefined : places.veto(type, at)
    },
  }
}

/** Of some clauses, by title: one that allows all of these fields, or else the first. */
export function clauseFor(
  model: Model,
  { type, action }: { readonly type: string; readonly action: string },
  titles: readonly string[],
  fields: readonly string[] = [],
): string | undefined {
  const clauses = model.types[type]?.rules?.may[action]?.filter(({ title }) => titles.includes(title)) ?? []
  const isFor = clauses.find((clause) => clause.fields === undefined || fields.every((name) => clause.fields?.includes(name)))
  return (isFor ?? clauses[0])?.title
}

const shown = (place: SourcePlace | undefined): SourcePlace | undefined => place && { ...place, file: shownPath(place.file) }

/** A position in the form that editors and terminals link. */
export function placeText(place: SourcePlace | undefined): string {
  return place === undefined ? '' : ` (${place.file}:${place.line})`
}

function readable(file: string): string | undefined {
  try {
    return readFileSync(file, 'utf8')
  } catch {
    return undefined
  }
}
