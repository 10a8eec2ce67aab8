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
  type Project,
  projectOf,
  type ReviewFindings,
  type SourcePlaces,
} from 'pachter/internal/review'
import type { Model } from 'pachter/internal/rulebook'
import type { Rulebook } from 'pachter/internal/viewpoint'
import { baselineFile } from '../baseline.js'
import { drawPeople, everyoneIn } from '../drawn-people.js'
import { expectationFiles, expectationsIn, shownPath } from '../expectations.js'
import { readBaseline } from '../files/baseline-file.js'
import { guaranteesOf } from '../mutants.js'
import { peopleOf } from '../people.js'
import { sourcePlacesOf } from '../places.js'
import { proofFindings } from '../prove/proof-findings.js'
import { type CommonOptions, openSession } from '../session.js'

/** The messages about a read, in this order. */
export type Read =
  | { readonly problem: string }
  | { readonly project: string; readonly summary: Summary }
  | { readonly findings: string }
  | { readonly weakening: readonly [done: number, all: number] }
  | { readonly mutants: MutantFindings }
  | { readonly proving: readonly [what: string, done: number] }
  | { readonly proofs: string; readonly isWhole: boolean; readonly of: string }

/** What the command itself needs to know. */
export interface Summary {
  readonly records: number
  readonly people: number
  /** The path for saved expectations. */
  readonly expectations: string
  /** The rules and guarantees that are proved, to compare with others. */
  readonly proved: string
  /** Folders and files whose changes may change the display. */
  readonly places: readonly string[]
}

type Tell = (what: Read) => void

/** A project that is being read. */
export interface Reading {
  /** Runs the mutation check once it is read, and reports the result. */
  weaken(): Promise<void>
  /** Proves everything once it is read, and reports the result. */
  prove(): Promise<void>
}

/** What takes long and is done on request. */
export type Task = keyof Reading

/** Reads the project of a configuration, then judges its expectations. Reports both, or an error. */
export function startReading(options: CommonOptions, canSave: boolean, tell: Tell): Reading {
  const reading = read(options, canSave, tell)
  reading.catch((error: unknown) => tell({ problem: error instanceof Error ? error.message : String(error) }))
  return {
    async weaken() {
      const { ground, expectations } = await reading
      await weaken(ground, expectations, tell)
    },
    async prove() {
      const { loaded, proved } = await reading
      await prove(loaded.book, { isWhole: true, of: proved }, tell)
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
  const places = sourcePlacesOf(loaded.model)
  const project = projectOf(loaded.book, {
    title: shownPath(loaded.file),
    people: ground.people,
    ...everyoneIn(loaded, records),
    records,
    now,
    places,
    canSave,
  })
  const proved = provedOf(loaded.model, project, places)
  tell({
    project: jsonText(project),
    summary: {
      records: Object.values(records).reduce((sum, rows) => sum + (rows?.length ?? 0), 0),
      people: Object.keys(people).length,
      expectations: loaded.expectations,
      proved,
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
  await prove(loaded.book, { isWhole: false, of: proved }, tell)
  return { loaded, ground, expectations, proved }
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
    const mutants = await mutantFindings(ground, expectations, {
      progress: (done, all) => {
        if (done % 5 === 0) tell({ weakening: [done, all] })
      },
      refuted: guaranteesOf(ground.model),
    })
    tell({ mutants })
  } catch (error) {
    tell({ problem: error instanceof Error ? error.message : String(error) })
  }
}

const PROGRESS_MS = 200

/** Everything that proofs depend on, and where they are told to be. */
function provedOf(model: Model, { rulebook, schemas, places }: Project, at: SourcePlaces): string {
  const guarantees = Object.values(model.types).map(({ name, guarantees = [], accepts }) => [
    guarantees.map((guarantee, number) => [guarantee, at.guarantee(name, number)]),
    accepts,
  ])
  return jsonText([rulebook, schemas, places, guarantees, model.guarantees])
}

async function prove(book: Rulebook, { isWhole, of }: { readonly isWhole: boolean; readonly of: string }, tell: Tell): Promise<void> {
  let last = Date.now()
  try {
    const proofs = await proofFindings(book, isWhole, (what, done) => {
      if (!isWhole || Date.now() - last < PROGRESS_MS) return
      last = Date.now()
      tell({ proving: [what, done] })
    })
    tell({ proofs: jsonText(proofs), isWhole, of })
  } catch (error) {
    tell({ problem: error instanceof Error ? error.message : String(error) })
  }
}
