import { describe, describeOver, type SomeNode, type Trace, type Wording } from '../../condition/index.js'
import type { ClauseLine } from './clause-lines.js'
import { keyText } from './key-text.js'
import { comparedValues } from './reason.js'

/** A failing comparison. */
export type Failing = Pick<ClauseLine, 'text' | 'values'>

/**
 * The comparisons that fail and would make a condition true if they held. Of several ways, the shortest; of linked records, the nearest.
 * Empty if the condition holds.
 */
export function failings(part: Trace, wording: Wording): readonly Failing[] {
  const { node, holds, of } = part
  if (holds) return []
  switch (node.kind) {
    case 'named':
      return failings(of[0] as Trace, wording)
    case 'allOf':
      return of.flatMap((one) => failings(one, wording))
    case 'anyOf':
      return of.length === 0 ? [{ text: describe(node, wording) }] : shortest(of.map((one) => failings(one, wording)))
    case 'some': {
      const { over, each } = node as SomeNode
      const { one } = describeOver(over, wording)
      if (node.least !== undefined) return [{ text: describe(node, wording), values: `${part.matching ?? 0} match` }]
      if (of.length === 0) return [{ text: describe(node, wording), values: 'there is none' }]
      const inner: Wording = { ...wording, looking: { ...wording.looking, [each]: one } }
      return shortest(
        of.map((trace) => {
          const which = over.kind === 'elements' ? '' : `${over.type} ${keyText(trace)}: `
          return failings(trace, inner).map(({ text, values }) => ({
            text: `${which}${text}`,
            ...(values === undefined ? {} : { values }),
          }))
        }),
      )
    }
    case 'not': {
      const values = node.of.kind === 'compare' ? comparedValues(of[0] as Trace) : ''
      return [{ text: describe(node, wording), ...(values ? { values } : {}) }]
    }
    case 'constant':
    case 'compare':
    case 'presence':
    case 'listChange': {
      const values = comparedValues(part)
      return [{ text: describe(node, wording), ...(values ? { values } : {}) }]
    }
  }
}

function shortest(ways: readonly (readonly Failing[])[]): readonly Failing[] {
  return ways.reduce((best, way) => (way.length < best.length ? way : best), ways[0] ?? [])
}
