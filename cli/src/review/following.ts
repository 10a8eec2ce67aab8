import { Worker } from 'node:worker_threads'
import type { Expectation, MutantFindings, ReviewState } from 'pachter/internal/review'
import { UsageError } from '../errors.js'
import { saveExpectations } from '../save-expectations.js'
import type { CommonOptions } from '../session.js'
import { watchPlaces } from '../watching.js'
import type { Read, Summary } from './reading.js'
import type { Reviewed } from './reviewed.js'

/** Reads a project once, from files as they are now, and tells of it. */
export type Reader = (tell: (told: Read) => void) => {
  /** Weakens its rules, and tells of that. */
  weaken(): void
  /** Whatever it has not told yet, it does not tell. */
  stop(): Promise<unknown>
}

interface FollowOptions {
  readonly canSave: boolean
  /** Whether it is read again where a file changes. Default: it is. */
  readonly watch?: boolean
  /** Default: a thread of its own for each time that it is read. */
  readonly reader?: Reader
}

/**
 * Reads the project of a configuration, and again whenever a file changes from which it comes. What cannot be read leaves what there
 * was, and is told.
 * @throws UsageError where it cannot be read at all
 */
export async function follow(
  options: CommonOptions,
  { canSave, watch = true, reader = inThread(options, canSave) }: FollowOptions,
): Promise<Following> {
  const following = new Following(reader)
  await following.begin(watch)
  return following
}

function inThread(options: CommonOptions, canSave: boolean): Reader {
  return (tell) => {
    const thread = new Worker(new URL('./reading-thread.js', import.meta.url), { workerData: { options, canSave } })
    thread.on('message', tell)
    thread.on('error', (error) => tell({ problem: error.message }))
    return { weaken: () => thread.postMessage('weaken'), stop: () => thread.terminate() }
  }
}

/** What is shown, in step with the files that it comes from. */
export class Following implements Reviewed {
  readonly #reader: Reader
  readonly #listeners = new Set<() => void>()
  readonly #toBeJudged: Promise<void>
  #judged = () => {}
  #state: ReviewState = { project: 0, findings: 0, mutants: 0 }
  #project = ''
  #summary: Summary | undefined
  #findings: string | undefined
  #mutants: MutantFindings | undefined
  #reading: ReturnType<Reader> | undefined
  #stop = async () => {}

  constructor(reader: Reader) {
    this.#reader = reader
    this.#toBeJudged = new Promise((done) => {
      this.#judged = done
    })
  }

  /** Reads it for the first time. @throws UsageError where it cannot be read */
  async begin(watch: boolean): Promise<void> {
    await new Promise<void>((done) => {
      const stop = this.subscribe(() => {
        stop()
        done()
      })
      this.#read()
    })
    const { problem } = this.#state
    if (problem !== undefined) {
      void this.#reading?.stop()
      throw new UsageError(problem)
    }
    if (watch) this.#stop = await watchPlaces(this.summary.places, () => this.#read())
  }

  get summary(): Summary {
    return this.#summary as Summary
  }

  project(): string {
    return this.#project
  }

  findings(): string | undefined {
    return this.#findings
  }

  mutants(): MutantFindings | undefined {
    return this.#mutants
  }

  state(): ReviewState {
    return this.#state
  }

  /** When what there is was judged, as far as that can be: its findings. */
  async judged(): Promise<string | undefined> {
    await this.#toBeJudged
    return this.#findings
  }

  subscribe(listener: () => void): () => void {
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }

  weaken(): void {
    if (this.#state.weakening !== undefined) return
    this.#change({ weakening: [0, 0] })
    this.#reading?.weaken()
  }

  save(expectations: readonly Expectation[]): ReturnType<typeof saveExpectations> {
    return saveExpectations(this.summary, expectations)
  }

  async close(): Promise<void> {
    await this.#stop()
    await this.#reading?.stop()
  }

  #read(): void {
    void this.#reading?.stop()
    const mine = this.#reader((told) => {
      if (this.#reading === mine) this.#take(told)
    })
    this.#reading = mine
  }

  #take(told: Read): void {
    if ('problem' in told) {
      this.#judged()
      this.#change({ problem: told.problem })
    } else if ('project' in told) {
      this.#summary = told.summary
      // What was touched and says the same, is the same.
      const isNew = told.project !== this.#project
      this.#project = told.project
      if (isNew) this.#mutants = undefined
      this.#change(isNew ? { project: this.#state.project + 1 } : {})
    } else if ('findings' in told) {
      const isNew = this.#findings !== told.findings
      this.#findings = told.findings
      this.#judged()
      this.#change(isNew ? { findings: this.#state.findings + 1 } : {})
    } else if ('weakening' in told) this.#change({ weakening: told.weakening })
    else {
      this.#mutants = told.mutants
      this.#change({ mutants: this.#state.mutants + 1 })
    }
  }

  /** What was wrong and what was under way are over, unless they are told again. */
  #change({ problem, weakening, ...changes }: Partial<ReviewState>): void {
    const { problem: _problem, weakening: _weakening, ...others } = this.#state
    const more = { ...(problem === undefined ? {} : { problem }), ...(weakening === undefined ? {} : { weakening }) }
    this.#state = { ...others, ...changes, ...more }
    for (const listener of this.#listeners) listener()
  }
}
