import { readFileSync } from 'node:fs'
import type { SourcePlace, SourcePlaces } from 'pachter/internal/review'
import type { Model } from 'pachter/internal/rulebook'
import { shownPath } from './expectations.js'
import { sourcePlaces } from './source/source.js'

/** Where clauses and vetoes are in the source, by their titles. */
export interface Places {
  clause(type: string, action: string, title: string): SourcePlace | undefined
  veto(type: string, title: string): SourcePlace | undefined
}

/** Where the parts of a rulebook are, with files as they are called from here. */
export function sourcePlacesOf(model: Model): SourcePlaces {
  const places = sourcePlaces(model, readable)
  return {
    rules: (type) => shown(places.rules(type)),
    clause: (type, action, at) => shown(places.clause(type, action, at)),
    veto: (type, at) => shown(places.veto(type, at)),
    standing: (type, name) => shown(places.standing(type, name)),
    grant: (kind, name) => shown(places.grant(kind, name)),
  }
}

export function placesOf(model: Model): Places {
  const places = sourcePlacesOf(model)
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

const shown = (place: SourcePlace | undefined): SourcePlace | undefined => place && { ...place, file: shownPath(place.file) }

/** A place as editors and terminals understand it. */
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
