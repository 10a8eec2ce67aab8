import { type ConditionNode, eachNode, isList, partsOfTerm, termsOf, toComparable } from '../../condition/index.js'

/** The times that a specialised condition compares with the current time. When one passes, the result may change. */
export function instantsIn(condition: ConditionNode): readonly number[] {
  const found: number[] = []
  eachNode(condition, (node) => {
    const terms = termsOf(node)
    if (!terms.some((term) => term.kind === 'now')) return
    for (const literal of terms.flatMap(partsOfTerm)) {
      const time =
        literal.kind === 'literal' && literal.type === 'time' && !isList(literal) ? toComparable(literal.value, 'time') : undefined
      if (time !== undefined) found.push(time as number)
    }
  })
  return found
}
