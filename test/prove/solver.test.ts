import { expect } from 'chai'
import fc from 'fast-check'
import { checkProof, ProofError, Solver } from 'pachter/internal/prove'
import { tries } from '../support/tries.js'

const VARIABLES = 7
const MOST = 100_000
const literal = fc.tuple(fc.integer({ min: 1, max: VARIABLES }), fc.boolean()).map(([variable, isTrue]) => (isTrue ? variable : -variable))
const clauses = fc.array(fc.array(literal, { minLength: 1, maxLength: 3 }), { maxLength: 40 })

function solverOf(given: readonly (readonly number[])[]): Solver {
  const solver = new Solver()
  for (let at = 0; at < VARIABLES; at++) solver.variable()
  for (const clause of given) solver.add(clause)
  return solver
}

/** Whether some of all possible worlds fits, tried one by one. */
function fitsSome(given: readonly (readonly number[])[]): boolean {
  const worlds = Array.from({ length: 2 ** VARIABLES }, (_, world) => world)
  const isTrue = (world: number, one: number) => ((world >> (Math.abs(one) - 1)) & 1) === (one > 0 ? 1 : 0)
  return worlds.some((world) => given.every((clause) => clause.some((one) => isTrue(world, one))))
}

describe('the solver', () => {
  it('finds a world if there is one, and proves that there is none otherwise, also with clauses that come later', () => {
    const same = fc.property(clauses, clauses, (first, later) => {
      const solver = solverOf(first)
      for (const given of [first, [...first, ...later]]) {
        for (const clause of given.slice(first.length)) solver.add(clause)
        const answer = solver.solve(MOST)
        expect(answer, JSON.stringify(given)).to.equal(fitsSome(given) ? 'satisfiable' : 'unsatisfiable')
        if (answer === 'unsatisfiable') checkProof(solver.steps)
        else expect(given.every((clause) => clause.some((one) => solver.holds(Math.abs(one)) === one > 0))).to.equal(true)
      }
    })
    fc.assert(same, { numRuns: tries(400, 4000) })
  })

  it('gives up after so many conflicts, and says so', () => {
    // More pigeons than holes: no two of them share one.
    const [pigeons, holes] = [7, 6]
    const solver = new Solver()
    const in_ = Array.from({ length: pigeons }, () => Array.from({ length: holes }, () => solver.variable()))
    for (const one of in_) solver.add(one)
    for (let hole = 0; hole < holes; hole++)
      for (let one = 0; one < pigeons; one++)
        for (let other = 0; other < one; other++) solver.add([-(in_[one]?.[hole] as number), -(in_[other]?.[hole] as number)])
    expect(solver.solve(50)).to.equal('unknown')
    expect(solver.conflicts).to.be.within(50, 60)
    expect(solver.solve(1_000_000)).to.equal('unsatisfiable')
  })

  it('has proofs in which every step counts: one that does not follow is found', () => {
    const given = [
      [1, 2],
      [1, -2],
      [-1, 3],
      [-1, -3],
    ]
    const solver = solverOf(given)
    expect(solver.solve(MOST)).to.equal('unsatisfiable')
    checkProof(solver.steps)
    const steps = given.map((clause) => ({ kind: 'given' as const, clause }))
    const learned = (...clause: number[]) => ({ kind: 'learned' as const, clause })
    checkProof([...steps, learned(1), learned()])
    for (const wrong of [
      // Nothing leads to the empty clause yet.
      [...steps],
      [...steps, learned(1)],
      [...steps, learned()],
      [...steps, learned(4), learned()],
      // A clause is missing.
      [...steps.slice(1), learned(1), learned()],
      [...steps.slice(0, 3), learned(1), learned()],
    ])
      expect(() => checkProof(wrong), JSON.stringify(wrong)).to.throw(ProofError)
  })
})
