import { type Command, Option } from 'commander'
import { coverageOf, type Expectation, type Finding, type Ground, groundOf, judgeExpectation, runMutants } from 'pachter/internal/review'
import { typeModel } from 'pachter/internal/rulebook'
import pc from 'picocolors'
import { expectationsSarif } from '../check-sarif.js'
import { reportCoverage } from '../coverage.js'
import { countsOf, type DeployedOptions, judgeAllDeployed } from '../deployed.js'
import { type DrawnPeople, drawPeople, listedName } from '../drawn-people.js'
import { UsageError } from '../errors.js'
import { expectationFiles, expectationsIn, shownPath } from '../expectations.js'
import { junitOf } from '../junit.js'
import { guaranteesOf, reportMutants } from '../mutants.js'
import { collect, command, type End, format, live } from '../options.js'
import { progress, say } from '../output.js'
import { peopleOf } from '../people.js'
import { type CliSession, type CommonOptions, openSession } from '../session.js'
import { hanging, printable } from '../table.js'
import { watchCheck } from '../watch.js'

interface CheckOptions extends CommonOptions, DeployedOptions {
  readonly mutants?: boolean
  readonly save?: boolean
  readonly coverage?: string | true
  readonly watch?: boolean
  readonly for: readonly string[]
  readonly type: readonly string[]
  readonly format: 'text' | 'json' | 'junit' | 'sarif'
}

/** `pachter check [files]`: judges the expectations. Returns whether all hold. */
async function checkCommand(named: readonly string[], options: CheckOptions): Promise<boolean> {
  checkOptions(options)
  if (options.watch) return watchCheck(named, options)
  const session = await openSession(options)
  const files = filesAsked(session, named)
  const listed = peopleOf(session, [])
  const drawn = drawPeople(session.loaded, session.records, listed, files)
  const ground = groundOf(session.loaded.book, { people: { ...listed, ...drawn.people }, records: session.records, now: session.now })
  const expectations = expectationsAsked(session, files, ground, drawn, options)
  const deployed = options.url === undefined ? undefined : await judgeAllDeployed(ground, expectations, options)
  const findings = deployed?.findings ?? (await judgeAll(ground, expectations))
  // An expectation that was not attempted proves nothing, so it does not count as met.
  const held = findings.every((one) => one.held) && deployed?.tried !== 0
  if (options.mutants && held) {
    const results = await runMutants(ground, expectations, {
      progress: (done, all) => progress('mutants', done, all),
      refuted: guaranteesOf(session.loaded.model),
      types: options.type.length > 0 ? options.type : undefined,
    })
    progress()
    return reportMutants(results, session.loaded, options)
  }
  if (options.format === 'sarif') say(await expectationsSarif(ground, findings))
  else sayFindings(findings, options.format)
  if (deployed !== undefined) for (const line of countsOf(deployed, options.mayWrite)) tellApart(line, options.format)
  if (options.coverage !== undefined && options.format === 'text') {
    const { points, questions } = coverageOf(ground, expectations)
    const mine = options.type.length === 0 ? points : points.filter(({ type }) => type !== undefined && options.type.includes(type))
    reportCoverage({ points: mine, questions }, options.coverage, ground.now)
  }
  if (options.mutants) tellApart('Fix these first: the mutation check needs expectations that all hold.', options.format)
  return held
}

/** A line for the person at the terminal, which formats for programs do not have. */
function tellApart(line: string, format: CheckOptions['format']): void {
  if (format === 'text') say(line)
  else process.stderr.write(`${line}\n`)
}

/** Refuses contradictory options. */
function checkOptions(options: CheckOptions): void {
  if (options.save && !options.mutants)
    throw new UsageError('check --save needs --mutants: it saves the expectations that --mutants proposes')
  if (options.mutants && options.format === 'junit') throw new UsageError('check --mutants: --format has to be text, json or sarif')
  if (options.coverage !== undefined && (options.mutants || options.format !== 'text'))
    throw new UsageError(
      'check --coverage: prints text only, and cannot be used with --mutants. Give a folder to get a page and LCOV data.',
    )
  if (
    options.url === undefined &&
    (options.tokens !== undefined || options.mayWrite.length + options.path.length + options.handler.length > 0)
  )
    throw new UsageError('check: --tokens, --may-write, --path and --handler need the --url of a running application')
  if (options.url !== undefined && (options.mutants || options.coverage !== undefined || options.watch))
    throw new UsageError('check --url cannot be used with --mutants, --coverage or --watch, which check the local rules and data')
}

/** These expectation files, or all. @throws UsageError if there are none */
function filesAsked(session: CliSession, named: readonly string[]): readonly string[] {
  const files = expectationFiles(session.loaded, named)
  if (files.length === 0)
    throw new UsageError(
      `there are no expectation files in ${shownPath(session.loaded.expectations)}. Run pachter check --help to see an example.`,
    )
  return files
}

/** The expectations in the files about the named people and types. */
function expectationsAsked(
  session: CliSession,
  files: readonly string[],
  ground: Ground,
  drawn: DrawnPeople,
  options: CheckOptions,
): readonly Expectation[] {
  const people = options.for.map((name) => listedName(ground.people, session.person(name)) ?? name)
  for (const name of options.type) typeModel(ground.model, name)
  const meant = (one: Expectation) =>
    (options.for.length === 0 || people.includes(one.person)) &&
    (options.type.length === 0 || ('type' in one && options.type.includes(one.type)))
  return expectationsIn(files, ground, drawn).filter(meant)
}

function sayFindings(findings: readonly Finding[], format: CheckOptions['format']): void {
  if (format === 'junit') say(junitOf(findings))
  else if (format === 'json') say(JSON.stringify(findings.map(asJson), null, 2))
  else report(findings)
}

async function judgeAll(ground: Ground, expectations: readonly Expectation[]): Promise<Finding[]> {
  const findings: Finding[] = []
  for (const one of expectations) {
    progress('expectations', findings.length, expectations.length)
    findings.push(await judgeExpectation(ground, one))
  }
  progress()
  return findings
}

function asJson({ expectation: { place, ...expectation }, title, held, problems }: Finding) {
  return { ...place, title, held, problems, expectation }
}

function report(findings: readonly Finding[]): void {
  const files = [...new Set(findings.map(({ expectation }) => expectation.place?.file ?? ''))]
  const width = Math.max(0, ...files.map((file) => file.length))
  for (const file of files) {
    const mine = findings.filter(({ expectation }) => expectation.place?.file === file)
    const failed = mine.filter(({ held }) => !held)
    const bad = failed.length === 0 ? '' : `, ${pc.red(`${failed.length} ${failed.length === 1 ? 'does' : 'do'} not`)}`
    say(`${file.padEnd(width)}  ${pc.green(`${mine.length - failed.length} hold`)}${bad}`)
    for (const { expectation, title, problems } of failed) {
      say()
      say(`  ${pc.dim(`line ${expectation.place?.line}`)}  ${pc.bold(printable(title))}`)
      for (const problem of problems) say(`    ${pc.red('x')} ${hanging(printable(problem), 6)}`)
    }
    if (failed.length > 0) say()
  }
  const failed = findings.filter(({ held }) => !held).length
  const all = `${findings.length} expectation${findings.length === 1 ? '' : 's'}`
  if (findings.length === 0) say('No expectation matches these options.')
  else say(failed === 0 ? `${all}: all hold.` : `${all}: ${findings.length - failed} hold, ${failed} ${failed === 1 ? 'does' : 'do'} not.`)
}

/** The command `check`: its arguments, options and help. */
export function checkDeclaration(end: End): Command {
  return command('check', 'Checks the expectation files: what each person sees, may do, and is refused.')
    .argument('[files...]', 'expectation files or folders (default: those of the configuration)')
    .addOption(
      new Option('--for <person>', 'only expectations about this person; may be repeated').argParser(collect).default([], 'everyone'),
    )
    .addOption(
      new Option('--type <type>', 'only expectations about this record type; may be repeated').argParser(collect).default([], 'all'),
    )
    .option('--coverage [folder]', 'reports rule coverage; with a folder, also writes a page and LCOV data there')
    .option('--mutants', 'mutation check: weakens the rules one by one, and reports the mutants that survive')
    .option('--save', 'with --mutants: appends the expectations that would kill them to saved.yaml')
    .option('--watch', 'runs again when rules, data or expectations change, until Ctrl-C')
    .option('--url <address>', 'checks a running application through its routes, as each person')
    .option('--tokens <file>', 'with --url: a YAML file with a line for each person: "ines: <token>" (or set PACHTER_TOKEN_INES)')
    .addOption(
      new Option('--may-write <type>', 'with --url: sends writes of this type that should be refused; may be repeated')
        .argParser(collect)
        .default([], 'no writes'),
    )
    .addOption(
      new Option('--path <type=name>', 'with --url: the path of a record type; may be repeated')
        .argParser(collect)
        .default([], 'as the rulebook does'),
    )
    .addOption(
      new Option(
        '--handler <what=address>',
        'with --url: your own handler, as in "plot.update=POST /plots/{key}/planting"; may be repeated',
      )
        .argParser(collect)
        .default([], 'the routes'),
    )
    .addOption(live())
    .addOption(format(['text', 'json', 'junit', 'sarif']))
    .addHelpText(
      'after',
      `
An expectation file:

  pachter expectations: 1
  people:
    ines:
      sees exactly: { plot: [p-01, p-06] }
      may:
        - update plot p-01: { sending: { planting: leeks } }
      is refused:
        - delete plot p-01

Actions run on a copy, or with --url in the application. Exit status: 0 if all hold, 1 if not or if nothing could be tried.

Examples:
  pachter check --mutants
  pachter check --url https://marshlane.example/api --tokens tokens.yaml`,
    )
    .action(async (files, options) => end((await checkCommand(files, options)) ? 0 : 1))
}
