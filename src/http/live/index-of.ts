import type { Comparable, PlaceNode } from '../../condition/index.js'
import type { Anchor } from '../../store/read/anchors.js'
import { placeId, type Step, stepsId } from '../../store/read/steps.js'

/** A path from a record, and the places at its end that are looked up. */
export interface Entry<T> {
  readonly steps: readonly Step[]
  readonly places: ReadonlyMap<string, PlaceOf<T>>
}

/** The subscriptions that look for each value at a place. */
export interface PlaceOf<T> {
  readonly place: PlaceNode
  readonly folded: boolean
  readonly by: ReadonlyMap<Comparable, ReadonlySet<T>>
}

/** Finds the subscriptions whose conditions may match a record by the record's values, without evaluating each condition. */
export interface ConditionIndex<T> {
  /** The subscriptions that any record may affect. */
  readonly all: ReadonlySet<T>
  readonly entries: ReadonlyMap<string, Entry<T>>
  add(one: T, cover: readonly Anchor[] | undefined): void
  remove(one: T, cover: readonly Anchor[] | undefined): void
}

/** An index over conditions on records of one type. */
export function conditionIndex<T>(): ConditionIndex<T> {
  const all = new Set<T>()
  const entries = new Map<
    string,
    { steps: readonly Step[]; places: Map<string, Omit<PlaceOf<T>, 'by'> & { readonly by: Map<Comparable, Set<T>> }> }
  >()
  const nameOf = ({ place, folded }: Anchor) => `${folded ? '~' : ''}${placeId(place)}`
  return {
    all,
    entries,
    add(one, cover) {
      if (cover === undefined) return void all.add(one)
      for (const anchor of cover) {
        const way = anchor.steps.length === 0 ? '' : stepsId(anchor.steps)
        const entry = entries.get(way) ?? { steps: anchor.steps, places: new Map() }
        entries.set(way, entry)
        const name = nameOf(anchor)
        const place = entry.places.get(name) ?? { place: anchor.place, folded: anchor.folded === true, by: new Map<Comparable, Set<T>>() }
        entry.places.set(name, place)
        const there = place.by.get(anchor.value)
        if (there === undefined) place.by.set(anchor.value, new Set([one]))
        else there.add(one)
      }
    },
    remove(one, cover) {
      all.delete(one)
      for (const anchor of cover ?? []) {
        const way = anchor.steps.length === 0 ? '' : stepsId(anchor.steps)
        const entry = entries.get(way)
        const place = entry?.places.get(nameOf(anchor))
        const there = place?.by.get(anchor.value)
        if (entry === undefined || place === undefined || there === undefined) continue
        there.delete(one)
        if (there.size === 0) place.by.delete(anchor.value)
        if (place.by.size === 0) entry.places.delete(nameOf(anchor))
        if (entry.places.size === 0) entries.delete(way)
      }
    },
  }
}
