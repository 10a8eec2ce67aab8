import { Worker } from 'node:worker_threads'
import type { MutantFindings, ReviewState } from 'pachter/internal/review'
import { UsageError } from '../errors.js'
import { keepExpectations } from '../keep.js'
import type { CommonOptions } from '../session.js'
import { watchPlaces } from '../watching.js'
import type { Read, Summary } from './reading.js'
import type { Reviewed } from './reviewed.js'

/** What is shown, kept in step with the files that it comes from. */
export interface Following extends Reviewed {
  readonly summary: Summary
  /** When what there is was judged, as far as that can be: its findings. */
  judged(): Promise<string | undefined>
  close(): Promise<void>
}

/**
 * Reads the project of a configuration, and again whenever a file changes from which it comes. What cannot be read leaves what there
 * was, and is told.
 * @throws UsageError where it cannot be read at all
 */
export async function follow(
  options: CommonOptions,
  { canKeep, watch: watching = true }: { canKeep: boolean; watch?: boolean },
): Promise<Following> {
  const listeners = new Set<() => void>()
  let state: ReviewState = { project: 0, findings: 0, mutants: 0 }
  let project = ''
  let summary: Summary | undefined
  let findings: string | undefined
  let mutants: MutantFindings | undefined
  let thread: Worker | undefined
  let judged = () => {}
  const toBeJudged = new Promise<void>((done) => {
    judged = done
  })
  /** What was wrong and what was under way are over, unless they are told again. */
  const change = ({ problem, weakening, ...changes }: Partial<ReviewState>) => {
    const { problem: _problem, weakening: _weakening, ...others } = state
    state = { ...others, ...changes, ...(problem === undefined ? {} : { problem }), ...(weakening === undefined ? {} : { weakening }) }
    for (const listener of listeners) listener()
  }
  function take(told: Read): void {
    if ('problem' in told) {
      judged()
      change({ problem: told.problem })
    } else if ('project' in told) {
      summary = told.summary
      // What was touched and says the same, is the same.
      const isNew = told.project !== project
      project = told.project
      if (isNew) mutants = undefined
      change(isNew ? { project: state.project + 1 } : {})
    } else if ('findings' in told) {
      const isNew = findings !== told.findings
      findings = told.findings
      judged()
      change(isNew ? { findings: state.findings + 1 } : {})
    } else if ('weakening' in told) change({ weakening: told.weakening })
    else {
      mutants = told.mutants
      change({ mutants: state.mutants + 1 })
    }
  }

  function read(): void {
    void thread?.terminate()
    const mine = new Worker(new URL('./reading.js', import.meta.url), { workerData: { options, canKeep } })
    thread = mine
    mine.on('message', (told: Read) => mine === thread && take(told))
    mine.on('error', (error) => mine === thread && take({ problem: error.message }))
  }

  await new Promise<void>((done, failed) => {
    const first = () => {
      listeners.delete(first)
      if (state.problem === undefined) done()
      else {
        void thread?.terminate()
        failed(new UsageError(state.problem))
      }
    }
    listeners.add(first)
    read()
  })
  const stop = watching ? await watchPlaces((summary as unknown as Summary).places, read) : async () => {}

  return {
    get summary() {
      return summary as Summary
    },
    project: () => project,
    findings: () => findings,
    mutants: () => mutants,
    state: () => state,
    async judged() {
      await toBeJudged
      return findings
    },
    subscribe(listener) {
      listeners.add(listener)
      return () => listeners.delete(listener)
    },
    weaken() {
      if (state.weakening !== undefined) return
      change({ weakening: [0, 0] })
      thread?.postMessage('weaken')
    },
    keep: (expectations) => keepExpectations(summary as Summary, expectations),
    async close() {
      await stop()
      await thread?.terminate()
    },
  }
}
