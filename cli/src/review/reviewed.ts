import type { Expectation, MutantFindings, ReviewFindings, ReviewState } from 'pachter/internal/review'

/** What a page is served: texts of JSON, each of which may be replaced by a newer one. */
export interface Reviewed {
  project(): string
  findings(): string | undefined
  mutants(): MutantFindings | undefined
  state(): ReviewState
  /** Calls whenever the state changes; gives how to stop that. */
  subscribe(listener: () => void): () => void
  /** Weakens the rulebook in the background, unless that was begun. */
  weaken(): void
  /** Writes expectations beside the others; gives the file. */
  save(expectations: readonly Expectation[]): string
}

/** A project that stays as it is, where nothing reads it again. */
export function unchanging(project: object, save: Reviewed['save'], findings?: ReviewFindings): Reviewed {
  const text = JSON.stringify(project)
  return {
    project: () => text,
    findings: () => findings && JSON.stringify(findings),
    mutants: () => undefined,
    state: () => ({ project: 1, findings: findings === undefined ? 0 : 1, mutants: 0 }),
    subscribe: () => () => {},
    weaken: () => {},
    save,
  }
}
