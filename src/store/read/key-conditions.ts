import {
  allOfNode,
  anyOfNode,
  type Comparable,
  type ConditionNode,
  compareNode,
  FALSE,
  instantText,
  literalType,
  type PlaceNode,
  type Row,
  type Scalar,
  waysAt,
} from '../../condition/index.js'
import { type Field, isKey, type Key, type Keyed, keyOf, keyPlaces, keyValues, timeAs } from '../../rulebook/index.js'

/** A value as a literal of a condition. */
function written(type: Scalar, value: Comparable): Comparable {
  return type === 'time' ? instantText(value as number) : value
}

/** The place equals the value; a list contains it. */
export function placeIs(place: PlaceNode, value: Comparable): ConditionNode {
  const field = { kind: 'field', of: 'record', path: place.path, type: place.type, ...(place.list ? { list: place.list } : {}) } as const
  const by = place.ignoringCase ? (place.list ? 'hasIgnoringCase' : 'isIgnoringCase') : place.list ? 'has' : 'is'
  return compareNode(field, by, {
    kind: 'literal',
    type: literalType(place.type),
    value: written(place.type, value),
  })
}

/** The place equals one of the values; a list contains one of them. */
export function placeIsOneOf(place: PlaceNode, values: readonly Comparable[]): ConditionNode {
  if (place.ignoringCase) return anyOfNode(values.map((value) => placeIs(place, value)))
  const field = { kind: 'field', of: 'record', ...place } as const
  return compareNode(field, place.list ? 'overlaps' : 'isOneOf', {
    kind: 'literal',
    type: literalType(place.type),
    list: true,
    value: values.map((value) => written(place.type, value)),
  })
}

/** The places hold this key, each a part of it. No record has a key that is none. */
export function placesHold(places: readonly PlaceNode[], type: Keyed, key: Key): ConditionNode {
  if (!isKey(type, key)) return FALSE
  const values = keyValues(type, key)
  return allOfNode(places.map((place, at) => placeIs(place, values[at] as Comparable)))
}

/** The places hold one of these keys. */
export function placesHoldOneOf(places: readonly PlaceNode[], type: Keyed, keys: readonly Key[]): ConditionNode {
  const [only] = places
  if (places.length === 1) return placeIsOneOf(only as PlaceNode, keys)
  return anyOfNode(keys.map((key) => placesHold(places, type, key)))
}

/** Selects the record with this key. */
export function keyIs(type: Keyed, key: Key): ConditionNode {
  return placesHold(keyPlaces(type), type, key)
}

/** Selects the records with these keys. */
export function keyIsOneOf(type: Keyed, keys: readonly Key[]): ConditionNode {
  return placesHoldOneOf(keyPlaces(type), type, keys)
}

/** The keys of the type that a record holds in these places. */
export function keysHeld(places: readonly PlaceNode[], type: Keyed, row: Row): readonly Key[] {
  return waysAt(row, places).map((way) => {
    const parts = type.keys.map((name, at) => {
      const field = type.fields[name] as Field
      return [name, field.type === 'time' ? timeAs(field, way[at] as number) : way[at]]
    })
    return keyOf(type, Object.fromEntries(parts))
  })
}
