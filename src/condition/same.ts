import type { ConditionNode, JoinNode, LinkNode, OverNode, PlaceNode, TermNode } from './nodes.js'
import { childrenOf, termsOf } from './visit.js'

/** Whether two terms are the same place or value. */
export function sameTerm(a: TermNode, b: TermNode): boolean {
  if (a === b) return true
  if (a.kind !== b.kind) return false
  switch (a.kind) {
    // The types must match too: a blank value is missing as an id, but not as a text.
    case 'field': {
      const other = b as typeof a
      return a.type === other.type && a.of === other.of && samePath(a.path, other.path) && sameLinks(a.via, other.via)
    }
    case 'claim':
      return a.type === (b as typeof a).type && samePath(a.path, (b as typeof a).path)
    case 'orElse':
      return sameTerm(a.term, (b as typeof a).term) && sameTerm(a.otherwise, (b as typeof a).otherwise)
    case 'literal':
      return a.type === (b as typeof a).type && JSON.stringify(a.value) === JSON.stringify((b as typeof a).value)
    case 'now':
      return a.zone === (b as typeof a).zone && (a.days ?? 0) === ((b as typeof a).days ?? 0)
    case 'forever':
      return true
  }
}

/** Whether two conditions have the same form. Conditions with the same meaning may differ in form. */
export function sameCondition(a: ConditionNode, b: ConditionNode): boolean {
  if (a === b) return true
  return a.kind === b.kind && sameHead(a, b) && sameChildren(childrenOf(a), childrenOf(b))
}

function sameChildren(a: readonly ConditionNode[], b: readonly ConditionNode[]): boolean {
  return a.length === b.length && a.every((one, at) => sameCondition(one, b[at] as ConditionNode))
}

/** Whether two conditions of one kind are the same, apart from their sub-conditions. */
function sameHead(a: ConditionNode, b: ConditionNode): boolean {
  switch (a.kind) {
    case 'constant':
      return a.value === (b as typeof a).value
    case 'named':
      return a.name === (b as typeof a).name
    case 'presence':
      return a.present === (b as typeof a).present && sameTerm(a.term, (b as typeof a).term)
    case 'compare':
    case 'listChange':
      return a.by === (b as typeof a).by && termsOf(a).every((term, at) => sameTerm(term, termsOf(b)[at] as TermNode))
    case 'some':
      return a.each === (b as typeof a).each && (a.least ?? 1) === ((b as typeof a).least ?? 1) && sameOver(a.over, (b as typeof a).over)
    case 'allOf':
    case 'anyOf':
    case 'not':
      return true
  }
}

function samePath(a: readonly string[], b: readonly string[]): boolean {
  return a.length === b.length && a.every((step, at) => step === b[at])
}

function samePlace(a: PlaceNode, b: PlaceNode | undefined): boolean {
  return b?.type === a.type && b.ignoringCase === a.ignoringCase && samePath(a.path, b.path)
}

/** Whether two lists of links are the same. */
export function sameLinks(a: readonly LinkNode[] = [], b: readonly LinkNode[] = []): boolean {
  return a === b || (a.length === b.length && a.every((one, at) => sameLink(one, b[at] as LinkNode)))
}

function sameLink(a: LinkNode, b: LinkNode): boolean {
  if (a === b) return true
  return (
    a.to === b.to &&
    (a.removal === undefined ? b.removal === undefined : samePlace(a.removal, b.removal)) &&
    a.by.length === b.by.length &&
    a.by.every(({ to, from }, at) => samePlace(to, b.by[at]?.to) && samePlace(from, b.by[at]?.from))
  )
}

function sameOver(a: OverNode, b: OverNode): boolean {
  if (a.kind !== b.kind) return false
  switch (a.kind) {
    case 'elements':
      return sameTerm(a.list, (b as typeof a).list)
    case 'records':
      return a.type === (b as typeof a).type && sameJoins(a.by, (b as typeof a).by)
    case 'ancestors': {
      const other = b as typeof a
      const isSameChain = sameJoins(a.by, other.by) && sameLink(a.link, other.link)
      const isSameKey = a.keys.length === other.keys.length && a.keys.every((place, at) => samePlace(place, other.keys[at]))
      return a.type === other.type && isSameChain && isSameKey && a.self.every((term, at) => sameTerm(term, other.self[at] as TermNode))
    }
  }
}

function sameJoins(a: readonly JoinNode[], b: readonly JoinNode[]): boolean {
  return (
    a.length === b.length &&
    a.every(({ to, from }, at) => {
      const other = b[at] as JoinNode
      return samePlace(to, other.to) && sameTerm(from, other.from)
    })
  )
}
