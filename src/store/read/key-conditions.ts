import {
  type Comparable,
  type ConditionNode,
  compareNode,
  instantText,
  literalType,
  type PlaceNode,
  type Scalar,
} from '../../condition/index.js'

/** A value as a literal of a condition. */
function written(type: Scalar, value: Comparable): Comparable {
  return type === 'time' ? instantText(value as number) : value
}

/** The place equals the value; a list contains it. */
export function placeIs(place: PlaceNode, value: Comparable): ConditionNode {
  const field = { kind: 'field', of: 'record', ...place } as const
  return compareNode(field, place.list ? 'has' : 'is', {
    kind: 'literal',
    type: literalType(place.type),
    value: written(place.type, value),
  })
}

/** The place equals one of the values; a list contains one of them. */
export function placeIsOneOf(place: PlaceNode, values: readonly Comparable[]): ConditionNode {
  const field = { kind: 'field', of: 'record', ...place } as const
  return compareNode(field, place.list ? 'overlaps' : 'isOneOf', {
    kind: 'literal',
    type: literalType(place.type),
    list: true,
    value: values.map((value) => written(place.type, value)),
  })
}
