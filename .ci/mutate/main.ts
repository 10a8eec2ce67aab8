// Mutation test of our own code: `npm run mutate`. Each mutant is the source with one small change: a negated comparison, a condition
// that is always true, a block left out. The tests that reach the change run on it, in a process of their own. A mutant that no test
// fails on survived, and shows what is not tested.
//
//   npm run mutate                              a sample of each folder; fails if fewer than 90% are killed
//   npm run mutate -- --sample 100 --seed 7     a larger sample, or another one
//   npm run mutate -- --in src/condition/absence.ts --sample all
//   npm run mutate -- --in src/prove --tests prove    only by the tests in test/prove
//   npm run mutate -- --at src/condition/same.ts:49:14     the mutants at one position
//
// All mutants take hours. Texts are not mutated, because these folders do not decide them.
import { parseArgs } from 'node:util'
import { type Outcome, runMutant } from './judge.js'
import { type Covered, coverage } from './reach.js'
import { closeSandbox, type Mutant, openSandbox, type Sandbox, TESTED } from './sandbox.js'

const FOLDERS = ['src/condition', 'src/viewpoint', 'src/sql', 'src/store', 'src/prove']
const WANTED = 0.9
const AT_ONCE = 2

const { values } = parseArgs({
  options: {
    sample: { type: 'string', default: '25' },
    seed: { type: 'string', default: '1' },
    in: { type: 'string', multiple: true, default: FOLDERS },
    at: { type: 'string', multiple: true, default: [] },
    tests: { type: 'string', multiple: true, default: TESTED },
  },
})

/** A random order that is the same for the same seed (mulberry32, public domain). */
function shuffled<T>(all: readonly T[], seed: number): T[] {
  let state = seed
  const random = () => {
    state = (state + 0x6d2b79f5) | 0
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state)
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32
  }
  return all
    .map((one) => [random(), one] as const)
    .sort(([a], [b]) => a - b)
    .map(([, one]) => one)
}

function sampleOf(mutants: readonly Mutant[]): Mutant[] {
  if (values.at.length > 0) return mutants.filter(({ file, line, column }) => values.at.includes(`${file}:${line}:${column}`))
  const most = values.sample === 'all' ? Number.POSITIVE_INFINITY : Number(values.sample)
  if (!(most > 0)) throw new Error(`--sample ${values.sample}: a number is needed, or all`)
  return values.in.flatMap((place) => {
    const there = mutants.filter(({ file }) => file === place || file.startsWith(`${place}/`))
    if (there.length === 0) throw new Error(`--in ${place}: there are no mutants; a folder or a file below ${FOLDERS.join(', ')} is needed`)
    return shuffled(there, Number(values.seed)).slice(0, most)
  })
}

async function judgeAll(sandbox: Sandbox, sample: readonly Mutant[], covered: Covered): Promise<Map<Mutant, Outcome>> {
  const outcomes = new Map<Mutant, Outcome>()
  const waiting = [...sample]
  const work = async () => {
    for (let mutant = waiting.shift(); mutant !== undefined; mutant = waiting.shift()) {
      const outcome = await runMutant(sandbox, mutant, covered)
      outcomes.set(mutant, outcome)
      process.stderr.write(`\r${outcomes.size} of ${sample.length} `)
      if (outcome === 'killed' || outcome === 'timeout') continue
      console.log(`${outcome}: ${mutant.file}:${mutant.line}:${mutant.column} ${mutant.kind}: ${mutant.replacement}`)
    }
  }
  await Promise.all(Array.from({ length: AT_ONCE }, work))
  return outcomes
}

/** Prints a line for each folder or file. Returns whether enough mutants were killed in each. */
function report(outcomes: ReadonlyMap<Mutant, Outcome>, mutants: readonly Mutant[]): boolean {
  let isEnough = true
  for (const place of values.in) {
    const isThere = ({ file }: Mutant) => file === place || file.startsWith(`${place}/`)
    const of = [...outcomes].filter(([mutant]) => isThere(mutant)).map(([, outcome]) => outcome)
    const count = (outcome: Outcome) => of.filter((one) => one === outcome).length
    if (of.length === 0) continue
    const killed = count('killed') + count('timeout')
    if (killed < WANTED * of.length) isEnough = false
    const all = mutants.filter(isThere).length
    const share = `${((100 * killed) / of.length).toFixed(0)}% killed`
    console.log(
      `${place}: ${share}: ${killed} of ${of.length}, out of ${all}; ${count('survived')} survived, ${count('not reached')} not reached`,
    )
  }
  return isEnough
}

const sandbox = openSandbox(FOLDERS, values.tests)
try {
  const sample = sampleOf(sandbox.mutants)
  console.log(`${sandbox.mutants.length} mutants, ${sample.length} of them to be tried. First, which tests reach which.`)
  const covered = await coverage(sandbox)
  const outcomes = await judgeAll(sandbox, sample, covered)
  if (!report(outcomes, sandbox.mutants)) process.exitCode = 1
} finally {
  closeSandbox(sandbox)
}
