import {
  type ConditionNode,
  eachNode,
  isList,
  type NowNode,
  partsOfTerm,
  startOfDay,
  termsOf,
  toComparable,
} from '../../condition/index.js'

const DAY = 86_400_000

/** When the comparison of a time with `now` or `today` may change: for a day, when it begins and when it ends. */
function changesAt({ zone, days = 0 }: NowNode, time: number): readonly number[] {
  if (zone === undefined) return [time]
  const day = time - days * DAY
  return [startOfDay(zone, day), startOfDay(zone, day + DAY)]
}

/** The times that a specialised condition compares with the current time. When one passes, the result may change. */
export function instantsIn(condition: ConditionNode): readonly number[] {
  const found: number[] = []
  eachNode(condition, (node) => {
    const terms = termsOf(node)
    const by = terms.find((term) => term.kind === 'now')
    if (by === undefined) return
    for (const literal of terms.flatMap(partsOfTerm)) {
      const time =
        literal.kind === 'literal' && literal.type === 'time' && !isList(literal) ? toComparable(literal.value, 'time') : undefined
      if (time !== undefined) found.push(...changesAt(by, time as number))
    }
  })
  return found
}
