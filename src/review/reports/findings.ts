import type { Row } from '../../condition/index.js'
import type { Key } from '../../rulebook/index.js'
import type { AccessChange, Baseline, Drift } from '../drift/baseline.js'
import { baselineOf, driftBetween } from '../drift/baseline.js'
import { type Expectation, expectationTitle, type FileLine } from '../expectations/expectation.js'
import { judgeExpectation, reached } from '../expectations/judge.js'
import { type MutationOptions, runMutants } from '../mutants/mutation.js'
import type { Ground } from '../scenario.js'

/** A cell of an access matrix. */
export interface CellRef {
  readonly type: string
  readonly person: string
  /** Absent if it is about create. */
  readonly key?: Key
  readonly action: string
}

/** A failed expectation, with the cell to show. */
export interface FailingExpectation {
  readonly title: string
  readonly problems: readonly string[]
  readonly place?: FileLine | undefined
  readonly cell?: CellRef | undefined
}

/** The results of the expectations. */
export interface ExpectationFindings {
  readonly all: number
  readonly failing: readonly FailingExpectation[]
}

/** What people gained or lost since a baseline was saved. */
export interface DriftFindings extends Pick<Drift, 'gained' | 'lost' | 'creates' | 'grants' | 'rules'> {
  /** The time at which it was saved. */
  readonly at: string
}

/** A surviving mutant, and an expectation that would kill it. */
export interface SurvivingMutant {
  readonly type?: string | undefined
  readonly rule: string
  readonly step: string
  readonly proposal?: Expectation | undefined
  /** The proposed expectation in one line. */
  readonly title?: string | undefined
  readonly cell?: CellRef | undefined
}

/** The results of the mutants. */
export interface MutantFindings {
  readonly all: number
  readonly killed: number
  readonly same: number
  readonly survived: readonly SurvivingMutant[]
}

/** The results of the expectations and of the comparison with the baseline. */
export interface ReviewFindings {
  /** What is wrong with the expectation files, instead of their results. */
  readonly expectations: ExpectationFindings | { readonly problem: string }
  /** The expectations, so that an action can be compared with them. */
  readonly written: readonly Expectation[]
  /** Undefined if no baseline is saved. */
  readonly drift?: DriftFindings | { readonly problem: string }
  /** The path of the baseline, whether it exists or not. */
  readonly baseline: string
}

/** What is shown, and the progress. Versions count up. */
export interface ReviewState {
  readonly project: number
  readonly findings: number
  readonly mutants: number
  readonly proofs: number
  /** Why the current state cannot be shown; the previous state stays visible. */
  readonly problem?: string
  /** The number of mutants tried so far, and of all. */
  readonly weakening?: readonly [done: number, all: number]
  /** What is being proved, and how many questions are answered. */
  readonly proving?: readonly [what: string, done: number]
}

/** A cell to save as an expectation. */
export interface CellToSave extends CellRef {
  readonly key: Key
  readonly allowed: boolean
  /** The fields that are read or changed, or are not, if the question is not about the record itself. */
  readonly fields?: readonly string[] | undefined
}

/** Judges expectations, and finds a cell to show for each that fails. */
export async function expectationFindings(ground: Ground, expectations: readonly Expectation[]): Promise<ExpectationFindings> {
  const failing: FailingExpectation[] = []
  for (const expectation of expectations) {
    const { held, title, problems } = await judgeExpectation(ground, expectation)
    if (!held) failing.push({ title, problems, place: expectation.place, cell: await cellOf(ground, expectation) })
  }
  return { all: expectations.length, failing }
}

/** Compares the current access with a baseline. */
export function driftFindings(ground: Ground, baseline: Baseline): DriftFindings {
  const { people, records, now } = ground
  const current = baselineOf(ground, { people, records: records, now })
  const { gained, lost, creates, grants, rules } = driftBetween(baseline, current, ground.model)
  const known = (change: AccessChange) => ({ ...change, key: storedKey(ground, change.type, change.key) as string })
  return { at: baseline.at, gained: gained.map(known), lost: lost.map(known), creates, grants, rules }
}

/** Runs the mutation check. All expectations must hold. */
export async function mutantFindings(
  ground: Ground,
  expectations: readonly Expectation[],
  options: Pick<MutationOptions, 'progress' | 'refuted'>,
): Promise<MutantFindings> {
  const results = await runMutants(ground, expectations, options)
  const survived: SurvivingMutant[] = []
  for (const { mutant, outcome, proposal } of results) {
    if (outcome !== 'survived') continue
    const { type, rule, step } = mutant
    const about = proposal && { proposal, title: expectationTitle(proposal), cell: await cellOf(ground.under(mutant.model()), proposal) }
    survived.push({ type, rule, step, ...about })
  }
  const of = (wanted: string) => results.filter(({ outcome }) => outcome === wanted).length
  return { all: results.length, killed: of('killed'), same: of('equivalent'), survived }
}

/** The cell where an expectation fails, or that it is about; undefined if it concerns no record type. */
export async function cellOf(ground: Ground, expectation: Expectation): Promise<CellRef | undefined> {
  if (!('type' in expectation)) return undefined
  const { type, person } = expectation
  const about = { type, person }
  switch (expectation.kind) {
    case 'reach': {
      const { action, extent, keys } = expectation
      const found = new Set(await reached(ground, person, action, type))
      const said = keys === 'all' ? ground.keys(type) : keys
      const missing = extent === 'none' ? undefined : said.find((key) => !found.has(key))
      const surplus = extent === 'at least' ? undefined : [...found].find((key) => said.includes(key) === (extent === 'none'))
      const key = missing ?? surplus ?? said[0]
      return { ...about, action, ...(key === undefined ? {} : { key }) }
    }
    case 'access': {
      const record = ground.record(type, expectation.key) as Row
      const view = ground.viewpoint(person)
      const { actions = [] } = ground.model.types[type] ?? {}
      const wrong = actions.find(
        (action) => action !== 'create' && view.verdict(action, type, record).allowed !== expectation.actions.includes(action),
      )
      return { ...about, key: expectation.key, action: wrong ?? 'read' }
    }
    default: {
      const { action, key } = expectation
      return { ...about, action, ...(key === undefined ? {} : { key }) }
    }
  }
}

/** A key in its own type: baselines store all keys as text. */
function storedKey(ground: Ground, type: string, text: string): Key {
  return ground.record(type, text) === undefined && ground.record(type, Number(text)) !== undefined ? Number(text) : text
}
