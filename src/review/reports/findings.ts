import type { Row } from '../../condition/index.js'
import type { Key } from '../../rulebook/index.js'
import type { AccessChange, Baseline, Drift } from '../drift/baseline.js'
import { baselineOf, driftBetween } from '../drift/baseline.js'
import { type Expectation, expectationTitle, type FileLine } from '../expectations/expectation.js'
import { judgeExpectation, reached } from '../expectations/judge.js'
import { runMutants } from '../mutants/mutation.js'
import type { Ground } from '../scenario.js'

/** A cell of an access matrix. */
export interface CellRef {
  readonly type: string
  readonly person: string
  /** None where it is about creating. */
  readonly key?: Key
  readonly action: string
}

/** An expectation that does not hold, with a cell to look at. */
export interface FailingExpectation {
  readonly title: string
  readonly problems: readonly string[]
  readonly place?: FileLine | undefined
  readonly cell?: CellRef | undefined
}

/** How the expectations came out. */
export interface ExpectationFindings {
  readonly all: number
  readonly failing: readonly FailingExpectation[]
}

/** What somebody gained or lost since a baseline was saved. */
export interface DriftFindings extends Pick<Drift, 'gained' | 'lost' | 'creates' | 'grants' | 'rules'> {
  /** When it was saved. */
  readonly at: string
}

/** A weakened rulebook that no expectation notices, and one that would. */
export interface SurvivingMutant {
  readonly type?: string | undefined
  readonly rule: string
  readonly step: string
  readonly proposal?: Expectation | undefined
  /** The proposal in one line. */
  readonly title?: string | undefined
  readonly cell?: CellRef | undefined
}

/** How weakened rulebooks fared. */
export interface MutantFindings {
  readonly all: number
  readonly killed: number
  readonly same: number
  readonly survived: readonly SurvivingMutant[]
}

/** What was found by judging expectations and comparing with the baseline. */
export interface ReviewFindings {
  /** What is wrong with the expectation files, in place of their results. */
  readonly expectations: ExpectationFindings | { readonly problem: string }
  /** The expectations themselves, so that what is tried can be held against them. */
  readonly written: readonly Expectation[]
  /** Undefined where no baseline is saved. */
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

/** A cell that is to stay as it is, or to become so. */
export interface CellToSave extends CellRef {
  readonly key: Key
  readonly allowed: boolean
  /** Fields of it that are read or changed, or are not; where the question is not the record itself. */
  readonly fields?: readonly string[] | undefined
}

/** Judges expectations, and finds of each that fails a cell to look at. */
export async function expectationFindings(ground: Ground, expectations: readonly Expectation[]): Promise<ExpectationFindings> {
  const failing: FailingExpectation[] = []
  for (const expectation of expectations) {
    const { held, title, problems } = await judgeExpectation(ground, expectation)
    if (!held) failing.push({ title, problems, place: expectation.place, cell: await cellOf(ground, expectation) })
  }
  return { all: expectations.length, failing }
}

/** Compares the access of now with a baseline. */
export function driftFindings(ground: Ground, baseline: Baseline): DriftFindings {
  const { people, records, now } = ground
  const current = baselineOf(ground, { people, records: records, now })
  const { gained, lost, creates, grants, rules } = driftBetween(baseline, current, ground.model)
  const known = (change: AccessChange) => ({ ...change, key: storedKey(ground, change.type, change.key) as string })
  return { at: baseline.at, gained: gained.map(known), lost: lost.map(known), creates, grants, rules }
}

/** Weakens the rulebook step by step; all expectations have to hold. */
export async function mutantFindings(
  ground: Ground,
  expectations: readonly Expectation[],
  progress: (done: number, all: number) => void,
): Promise<MutantFindings> {
  const results = await runMutants(ground, expectations, { progress })
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

/** The cell in which an expectation is seen to fail, or that it is about; undefined where it is about no record type. */
async function cellOf(ground: Ground, expectation: Expectation): Promise<CellRef | undefined> {
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

/** A key as the records have it: baselines write all of them as text. */
function storedKey(ground: Ground, type: string, text: string): Key {
  return ground.record(type, text) === undefined && ground.record(type, Number(text)) !== undefined ? Number(text) : text
}
