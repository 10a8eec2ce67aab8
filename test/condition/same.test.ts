import { expect } from 'chai'
import fc from 'fast-check'
import { type ConditionNode, simplify } from 'pachter/condition'
import { absorbed, allOfNode, anyOfNode } from 'pachter/internal/condition'
import { cases } from '../support/agreement.js'
import { tries } from '../support/tries.js'

// What says how a value may be missing, or which value it is of many, belongs to the place that is named beside it; a name decides nothing. Of two counts, one
// follows from the other.
const BESIDE = new Set(['kind', 'optional', 'list', 'name', 'least'])

/** The same condition with one thing in it changed, for each that there is. */
function changedInOne(node: unknown): unknown[] {
  // What never holds says everything, so that all else follows from it.
  if (typeof node !== 'object' || node === null || (node as ConditionNode).kind === 'constant') return []
  return Object.entries(node).flatMap(([name, part]) => {
    if (BESIDE.has(name)) return []
    const others = typeof part === 'object' && part !== null && !(part instanceof Date) ? changedInOne(part) : [another(part)]
    return others.map((other) => (Array.isArray(node) ? node.with(Number(name), other) : { ...node, [name]: other }))
  })
}

function another(value: unknown): unknown {
  if (typeof value === 'boolean') return !value
  if (typeof value === 'number') return value === 0 ? 1 : -value
  if (value instanceof Date) return new Date(value.getTime() + 1)
  return `${value}-`
}

describe('a condition that is said twice', () => {
  it('is kept once, however it is joined; and two that differ in anything are both kept', () => {
    fc.assert(
      fc.property(cases[0], (nodes) => {
        for (const node of nodes) {
          const alone = absorbed(simplify(node))
          if (alone.kind === 'constant') continue
          for (const join of [anyOfNode, allOfNode]) {
            expect(absorbed(join([alone, structuredClone(alone)]))).to.deep.equal(alone)
            for (const changed of changedInOne(alone) as ConditionNode[])
              expect(absorbed(join([alone, changed])), JSON.stringify(changed)).not.to.deep.equal(alone)
          }
        }
      }),
      { numRuns: tries(10, 40) },
    )
  })

  it('is the very same, if it compares, where there is nothing left to put in', () => {
    fc.assert(
      fc.property(cases[0], cases[1], (nodes, me) => {
        for (const node of nodes) {
          const special = simplify(node, me)
          if (['compare', 'presence', 'listChange'].includes(special.kind)) expect(simplify(special)).to.equal(special)
        }
      }),
      { numRuns: tries(10, 40) },
    )
  })
})
