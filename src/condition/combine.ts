import { type ConditionNode, constant } from './nodes.js'
import { sameCondition } from './same.js'

/** Joins simplified conditions into a simplified one: flattened, without duplicates, and decided as soon as one part decides. */
export function combine(kind: 'allOf' | 'anyOf', simple: readonly ConditionNode[]): ConditionNode {
  // The value that decides alone: false for allOf, true for anyOf.
  const decisive = kind === 'anyOf'
  const parts: ConditionNode[] = []
  const texts = simple.length > FEW ? new Set<string>() : undefined
  for (const part of simple) {
    if (part.kind === 'constant') {
      if (part.value === decisive) return part
    } else if (part.kind === kind) {
      for (const inner of part.of) addOnce(parts, inner, texts)
    } else addOnce(parts, part, texts)
  }
  if (parts.length === 0) return constant(!decisive)
  if (parts.length === 1) return parts[0] as ConditionNode
  return { kind, of: parts }
}

/** Up to this many parts are compared pairwise. Beyond it, only parts with the same JSON are merged. */
const FEW = 16

function addOnce(parts: ConditionNode[], one: ConditionNode, texts: Set<string> | undefined): void {
  if (texts !== undefined) {
    const text = JSON.stringify(one)
    if (!texts.has(text)) {
      texts.add(text)
      parts.push(one)
      return
    }
  }
  for (const part of parts) if (sameCondition(part, one)) return
  parts.push(one)
}
