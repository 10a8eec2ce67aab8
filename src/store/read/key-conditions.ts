import {
  type Comparable,
  type ConditionNode,
  compareNode,
  instantText,
  literalType,
  type PlaceNode,
  type Scalar,
} from '../../condition/index.js'

/** A value as a condition has it written. */
function written(type: Scalar, value: Comparable): Comparable {
  return type === 'time' ? instantText(value as number) : value
}

/** "What is at this place is the value", or has it, where a list is there. */
export function placeIs(place: PlaceNode, value: Comparable): ConditionNode {
  const field = { kind: 'field', of: 'record', ...place } as const
  return compareNode(field, place.list ? 'has' : 'is', {
    kind: 'literal',
    type: literalType(place.type),
    value: written(place.type, value),
  })
}

/** "What is at this place is one of the values", or has one of them, where a list is there. */
export function placeIsOneOf(place: PlaceNode, values: readonly Comparable[]): ConditionNode {
  const field = { kind: 'field', of: 'record', ...place } as const
  return compareNode(field, place.list ? 'overlaps' : 'isOneOf', {
    kind: 'literal',
    type: literalType(place.type),
    list: true,
    value: values.map((value) => written(place.type, value)),
  })
}
