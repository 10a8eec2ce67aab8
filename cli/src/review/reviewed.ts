import { jsonText } from 'pachter/internal/condition'
import type { Expectation, MutantFindings, ProofFindings, ReviewFindings, ReviewState } from 'pachter/internal/review'

/** The data of the page: JSON texts, each of which may be replaced by a newer one. */
export interface Reviewed {
  project(): string
  findings(): string | undefined
  mutants(): MutantFindings | undefined
  proofs(): string | undefined
  state(): ReviewState
  /** Calls back when the state changes; returns a function to unsubscribe. */
  subscribe(listener: () => void): () => void
  /** Runs the mutation check in the background, unless it has been started. */
  weaken(): void
  /** Proves what was not asked yet in the background, unless it has been started. */
  prove(): void
  /** Saves expectations next to the others; returns the file. */
  save(expectations: readonly Expectation[]): string
}

/** A project that does not change and is not read again. */
export function unchanging(project: object, save: Reviewed['save'], findings?: ReviewFindings, proofs?: ProofFindings): Reviewed {
  const text = JSON.stringify(project)
  return {
    project: () => text,
    findings: () => findings && JSON.stringify(findings),
    mutants: () => undefined,
    proofs: () => proofs && jsonText(proofs),
    state: () => ({ project: 1, findings: findings === undefined ? 0 : 1, mutants: 0, proofs: proofs === undefined ? 0 : 1 }),
    subscribe: () => () => {},
    weaken: () => {},
    prove: () => {},
    save,
  }
}
