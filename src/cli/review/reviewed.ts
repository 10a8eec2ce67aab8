import type { DriftFindings, Expectation, ExpectationFindings, MutantFindings } from '../../review/index.js'

/** What was found by judging expectations and comparing with the baseline. */
export interface Findings {
  /** What is wrong with the expectation files, in place of what came of them. */
  readonly expectations: ExpectationFindings | { readonly problem: string }
  /** The expectations themselves, so that what is tried can be held against them. */
  readonly written: readonly Expectation[]
  /** Undefined where no baseline is kept. */
  readonly drift?: DriftFindings | { readonly problem: string }
  /** Where the baseline is, or would be. */
  readonly baseline: string
}

/** What is shown, and how far it is. Numbers go up with each new one. */
export interface ReviewState {
  readonly project: number
  readonly findings: number
  readonly mutants: number
  /** Why what there is now cannot be shown; what is shown is what there was before. */
  readonly problem?: string
  /** How many weakened rulebooks were tried, of how many. */
  readonly weakening?: readonly [done: number, all: number]
}

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
  keep(expectations: readonly Expectation[]): string
}

/** A project that stays as it is, where nothing reads it again. */
export function unchanging(project: object, keep: Reviewed['keep'], findings?: Findings): Reviewed {
  const text = JSON.stringify(project)
  return {
    project: () => text,
    findings: () => findings && JSON.stringify(findings),
    mutants: () => undefined,
    state: () => ({ project: 1, findings: findings === undefined ? 0 : 1, mutants: 0 }),
    subscribe: () => () => {},
    weaken: () => {},
    keep,
  }
}
