// Checks proofs apart from the solver that made them: it shares nothing with it but the form of clauses.
import { PachterError } from '../condition/index.js'
import type { Clause, Literal, ProofStep } from './solver.js'

/** A proof does not hold. That is a mistake of `pachter prove`, and not of the rulebook: please report it. */
export class ProofError extends PachterError {
  constructor(step: number) {
    super('BAD_PROOF', `step ${step} of the proof does not follow from those before it: report this, with the rulebook if you can`)
  }
}

/**
 * Checks that each learned clause follows from the clauses before it by unit propagation, down to the empty clause. Source: E. Goldberg and
 * Y. Novikov, Verification of Proofs of Unsatisfiability for CNF Formulas, 2003.
 * @throws ProofError
 */
export function checkProof(steps: readonly ProofStep[]): void {
  const known: Clause[] = []
  for (const [at, { kind, clause }] of steps.entries()) {
    if (kind === 'learned' && !follows(known, clause)) throw new ProofError(at)
    if (kind === 'learned' && clause.length === 0) return
    known.push(clause)
  }
  throw new ProofError(steps.length)
}

/** Whether the opposite of a clause contradicts the others. */
function follows(known: readonly Clause[], clause: Clause): boolean {
  const isTrue = new Set<Literal>()
  for (const literal of clause) isTrue.add(-literal)
  for (let found = true; found; ) {
    found = false
    for (const one of known) {
      const unit = unitOf(one, isTrue)
      if (unit === 'contradicted') return true
      if (unit === undefined) continue
      isTrue.add(unit)
      found = true
    }
  }
  return false
}

/** The only literal of a clause that is not false, if no other is true. */
function unitOf(clause: Clause, isTrue: ReadonlySet<Literal>): Literal | 'contradicted' | undefined {
  let open: Literal | undefined
  for (const literal of clause) {
    if (isTrue.has(literal)) return undefined
    if (isTrue.has(-literal)) continue
    if (open !== undefined && open !== literal) return undefined
    open = literal
  }
  return open ?? 'contradicted'
}
