import type { ConditionNode } from './nodes.js'

/** The same function, which remembers its result for each condition for as long as the condition is in use: conditions never change. */
export function perNode<T>(work: (node: ConditionNode) => T): (node: ConditionNode) => T {
  const known = new WeakMap<ConditionNode, { readonly result: T }>()
  return (node) => {
    const before = known.get(node)
    if (before !== undefined) return before.result
    const result = work(node)
    known.set(node, { result })
    return result
  }
}

/** How many results are remembered for conditions that begin with the same one. */
const MOST = 8

/** The same for a function of several conditions. */
export function perNodes<T>(work: (nodes: readonly ConditionNode[]) => T): (nodes: readonly ConditionNode[]) => T {
  const known = new WeakMap<ConditionNode, { readonly nodes: readonly ConditionNode[]; readonly result: T }[]>()
  return (nodes) => {
    const [first] = nodes
    if (first === undefined) return work(nodes)
    const alike = known.get(first) ?? []
    const before = alike.find((one) => one.nodes.length === nodes.length && one.nodes.every((node, at) => node === nodes[at]))
    if (before !== undefined) return before.result
    const result = work(nodes)
    known.set(first, [...alike.slice(1 - MOST), { nodes, result }])
    return result
  }
}
