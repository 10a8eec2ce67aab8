import { Worker } from 'node:worker_threads'
import type { Expectation, MutantFindings, ReviewState } from 'pachter/internal/review'
import { UsageError } from '../errors.js'
import { READING_THREAD } from '../installed.js'
import { saveExpectations } from '../save-expectations.js'
import type { CommonOptions } from '../session.js'
import { watchPlaces } from '../watching.js'
import type { Read, Summary, Task } from './reading.js'
import type { Reviewed } from './reviewed.js'

/** Reads a project once from the current files, and reports it. */
export type Reader = (tell: (told: Read) => void) => {
  /** Runs the mutation check, and reports the result. */
  weaken(): void
  /** Proves everything, and reports the result. */
  prove(): void
  /** Stops reporting. */
  stop(): Promise<unknown>
}

/** What is proved of the rules. */
type Proofs = Extract<Read, { readonly proofs: string }>

interface FollowOptions {
  readonly canSave: boolean
  /** Whether changed files are read again. Default: true. */
  readonly watch?: boolean
  /** Default: a new thread for every read. */
  readonly reader?: Reader
}

/**
 * Reads the project of a configuration, and reads it again when one of its files changes. After an error, the previous state stays and the
 * error is reported.
 * @throws UsageError if it cannot be read at all
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
    const thread = new Worker(READING_THREAD, { workerData: { options, canSave } })
    thread.on('message', tell)
    thread.on('error', (error) => tell({ problem: error.message }))
    const ask = (task: Task) => () => thread.postMessage(task)
    return { weaken: ask('weaken'), prove: ask('prove'), stop: () => thread.terminate() }
  }
}

/** The displayed state, kept up to date with its files. */
export class Following implements Reviewed {
  readonly #reader: Reader
  readonly #listeners = new Set<() => void>()
  readonly #toBeJudged: Promise<void>
  #judged = () => {}
  #state: ReviewState = { project: 0, findings: 0, mutants: 0, proofs: 0 }
  #project = ''
  #summary: Summary | undefined
  #findings: string | undefined
  #mutants: MutantFindings | undefined
  #proofs: Proofs | undefined
  #reading: ReturnType<Reader> | undefined
  #stop = async () => {}

  constructor(reader: Reader) {
    this.#reader = reader
    this.#toBeJudged = new Promise((done) => {
      this.#judged = done
    })
  }

  /** Reads it for the first time. @throws UsageError if it cannot be read */
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

  proofs(): string | undefined {
    return this.#proofs?.proofs
  }

  mutants(): MutantFindings | undefined {
    return this.#mutants
  }

  state(): ReviewState {
    return this.#state
  }

  /** Resolves with the findings of the current state, as far as they can be computed. */
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

  prove(): void {
    if (this.#state.proving !== undefined) return
    this.#change({ proving: ['self-promotion', 0] })
    this.#reading?.prove()
  }

  /** Resolves with all proofs of the current state, as far as they can be computed. */
  async proved(): Promise<string | undefined> {
    await this.#toBeJudged
    this.prove()
    await new Promise<void>((done) => {
      const stop = this.subscribe(() => {
        if (this.#state.proving !== undefined) return
        stop()
        done()
      })
    })
    return this.proofs()
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
      this.#change({ problem: told.problem, weakening: undefined, proving: undefined })
    } else if ('project' in told) {
      this.#summary = told.summary
      // A file that was saved unchanged changes nothing.
      const isNew = told.project !== this.#project
      this.#project = told.project
      if (isNew) this.#mutants = undefined
      if (told.summary.proved !== this.#proofs?.of) this.#proofs = undefined
      this.#change({ ...(isNew ? { project: this.#state.project + 1 } : {}), weakening: undefined, proving: undefined })
    } else if ('findings' in told) {
      const isNew = this.#findings !== told.findings
      this.#findings = told.findings
      this.#judged()
      this.#change(isNew ? { findings: this.#state.findings + 1 } : {})
    } else if ('weakening' in told) this.#change({ weakening: told.weakening })
    else if ('proving' in told) this.#change({ proving: told.proving })
    else if ('proofs' in told) this.#takeProofs(told)
    else {
      this.#mutants = told.mutants
      this.#change({ mutants: this.#state.mutants + 1, weakening: undefined })
    }
  }

  #takeProofs(told: Proofs): void {
    // After a change of the records, what is proved of the rules still holds.
    if (!told.isWhole && this.#proofs?.isWhole) return
    this.#proofs = told
    this.#change({ proofs: this.#state.proofs + 1, ...(told.isWhole ? { proving: undefined } : {}) })
  }

  /** Earlier errors end here, unless they are reported again. */
  #change(changes: { readonly [K in keyof ReviewState]?: ReviewState[K] | undefined }): void {
    const { problem: _problem, ...others } = this.#state
    const next = Object.entries({ ...others, ...changes }).filter(([, value]) => value !== undefined)
    this.#state = Object.fromEntries(next) as unknown as ReviewState
    for (const listener of this.#listeners) listener()
  }
}
