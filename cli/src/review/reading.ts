import { existsSync, readFileSync } from 'node:fs'
import { dirname } from 'node:path'
import { isPachterError, jsonText } from 'pachter/internal/condition'
import {
  driftFindings,
  type Expectation,
  expectationFindings,
  type Ground,
  groundOf,
  type MutantFindings,
  mutantFindings,
  projectOf,
  type ReviewFindings,
} from 'pachter/internal/review'
import { baselineFile } from '../baseline.js'
import { drawPeople, everyoneIn } from '../drawn-people.js'
import { expectationFiles, expectationsIn, shownPath } from '../expectations.js'
import { readBaseline } from '../files/baseline-file.js'
import { peopleOf } from '../people.js'
import { sourcePlacesOf } from '../places.js'
import { type CommonOptions, openSession } from '../session.js'

/** The messages about a read, in this order. */
export type Read =
  | { readonly problem: string }
  | { readonly project: string; readonly summary: Summary }
  | { readonly findings: string }
  | { readonly weakening: readonly [done: number, all: number] }
  | { readonly mutants: MutantFindings }

/** What the command itself needs to know. */
export interface Summary {
  readonly records: number
  readonly people: number
  /** The path for saved expectations. */
  readonly expectations: string
  /** Folders and files whose changes may change the display. */
  readonly places: readonly string[]
}

type Tell = (what: Read) => void

/** A project that is being read. */
export interface Reading {
  /** Runs the mutation check once it is read, and reports the result. */
  weaken(): Promise<void>
}

/** Reads the project of a configuration, then judges its expectations. Reports both, or an error. */
export function startReading(options: CommonOptions, canSave: boolean, tell: Tell): Reading {
  const reading = read(options, canSave, tell)
  reading.catch((error: unknown) => tell({ problem: error instanceof Error ? error.message : String(error) }))
  return {
    async weaken() {
      const { ground, expectations } = await reading
      await weaken(ground, expectations, tell)
    },
  }
}

async function read(options: CommonOptions, canSave: boolean, tell: Tell) {
  const session = await openSession(options, undefined, { everything: true })
  const { loaded, records } = session
  const people = peopleOf(session, [])
  const now = session.now ?? new Date()
  const files = expectationFiles(loaded, [])
  const drawn = drawPeople(loaded, records, people, files)
  const ground = groundOf(loaded.book, { people: { ...people, ...drawn.people }, records, now })
  const found = expected(() => expectationsIn(files, ground, drawn))
  const expectations = 'problem' in found ? [] : found
  const project = projectOf(loaded.book, {
    title: shownPath(loaded.file),
    people: ground.people,
    ...everyoneIn(loaded, records),
    records,
    now,
    places: sourcePlacesOf(loaded.model),
    canSave,
  })
  tell({
    project: jsonText(project),
    summary: {
      records: Object.values(records).reduce((sum, rows) => sum + (rows?.length ?? 0), 0),
      people: Object.keys(people).length,
      expectations: loaded.expectations,
      places: [dirname(loaded.file), loaded.folder, loaded.expectations],
    },
  })
  const file = baselineFile(loaded)
  const drift = existsSync(file)
    ? expected(() => driftFindings(ground, readBaseline(readFileSync(file, 'utf8'), shownPath(file), loaded.model)))
    : undefined
  const judged = 'problem' in found ? found : await expectationFindings(ground, found)
  const findings: ReviewFindings = {
    expectations: judged,
    written: expectations,
    baseline: shownPath(file),
    ...(drift === undefined ? {} : { drift }),
  }
  tell({ findings: JSON.stringify(findings) })
  return { ground, expectations }
}

/** The result, or the error in a file. */
function expected<T>(get: () => T): T | { readonly problem: string } {
  try {
    return get()
  } catch (error) {
    if (isPachterError(error)) return { problem: error.message }
    throw error
  }
}

async function weaken(ground: Ground, expectations: readonly Expectation[], tell: Tell): Promise<void> {
  try {
    const mutants = await mutantFindings(ground, expectations, (done, all) => {
      if (done % 5 === 0) tell({ weakening: [done, all] })
    })
    tell({ mutants })
  } catch (error) {
    tell({ problem: error instanceof Error ? error.message : String(error) })
  }
}
