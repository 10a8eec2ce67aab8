import { createRequire } from 'node:module'
import { Command, CommanderError, InvalidArgumentError, Option } from 'commander'
import { isPachterError } from 'pachter/internal/condition'
import { FILTER_OPERATORS } from 'pachter/internal/store'
import { checkCommand } from './commands/check.js'
import { indexesCommand } from './commands/db-indexes.js'
import { rowSecurityCommand } from './commands/db-row-security.js'
import { verifyCommand } from './commands/db-verify.js'
import { driftCommand } from './commands/drift.js'
import { listCommand } from './commands/list.js'
import { MATRIX_FORMATS, matrixCommand } from './commands/matrix.js'
import { peopleCommand } from './commands/people.js'
import { reviewCommand } from './commands/review.js'
import { rulesCommand } from './commands/rules.js'
import { tryCommand } from './commands/try.js'
import { whoCommand } from './commands/who.js'
import { whyCommand } from './commands/why.js'
import { FORMATS } from './table.js'

const { version } = createRequire(import.meta.url)('../package.json') as { version: string }

const collect = (value: string, before: readonly string[]) => [...before, value]
const names = (value: string) =>
  value
    .split(',')
    .map((name) => name.trim())
    .filter(Boolean)

/** Text in lines of at most 110 letters. */
function wrapped(text: string): string {
  return text.replace(/(.{1,110})(\s|$)/g, '$1\n').trimEnd()
}

function wholeNumber(text: string): number {
  if (!/^\d+$/.test(text)) throw new InvalidArgumentError('a whole number from 0 is needed.')
  return Number(text)
}

function command(name: string, summary: string): Command {
  return new Command(name)
    .description(summary)
    .option('--config <file>', 'the configuration, instead of the nearest pachter.config.ts')
    .option('--at <time>', 'judge as of this instant, as in 2026-06-15T09:00:00Z')
    .exitOverride()
}

const live = () => new Option('--db <url>', 'looks at the records of a database, which is only read: postgres://, mysql:// or sqlite:file')
const format = (choices: readonly string[]) => new Option('--format <format>', 'how to print it').choices([...choices]).default(choices[0])
const onePerson = () =>
  new Option('--for <person>', 'who does it: a name from the configuration, visitor, unknown or system').makeOptionMandatory()
const without = () =>
  new Option('--without <rule>', 'leaves out a clause or a veto, by its title, or as in "update: warden"; may be repeated')
    .argParser(collect)
    .default([], 'none')
const log = () => new Option('--log', 'writes the verdict log to standard error, as lines of JSON')
const within = () => new Option('--within <routine>', 'within a routine, where more clauses may count')
const settings = (help: string) => new Option('--set <field=value>', help).argParser(collect).default([], 'none')

function everyCommand(end: (status: number) => void): Command {
  const program = new Command('pachter')
    .description('Looks at records through the eyes of each person, by the rules of a rulebook.')
    .version(version)
    .exitOverride()
    .showHelpAfterError('(pachter --help shows what there is)')
    .addHelpText(
      'after',
      `
It works on the nearest pachter.config.ts, which exports the rulebook, a data folder and named people. With --db it looks at the
records of a database in place of the folder. Nothing that it does writes to either.

Examples:
  pachter people                                     who there is, and with which claims
  pachter list plot --for ines                       what Ines may see
  pachter list plot --for ines --for bram            both lists side by side
  pachter matrix plot                                who may do what to which plot
  pachter who plot p-01                              everyone who reaches it, and by which clause
  pachter try delete plot p-03 --for ines            do it to a copy, and see what happens
  pachter why read plot p-01 --for bram              which clause decided, and on what values
  pachter check                                      whether all that was expected holds
  pachter drift                                      who gained or lost what since it was kept
  pachter rules plot                                 the rules of plots in plain English
  pachter db verify postgres://me@localhost/garden   the rows by SQL beside those by evaluation in memory

Exit status: 0 fine, 1 a try was refused or a check failed, 2 something is wrong with the call, the configuration or the data.`,
    )

  program.addCommand(
    command('people', 'Shows the named people, with what the rules are told of each.')
      .addOption(format(FORMATS))
      .action((options) => peopleCommand(options)),
  )

  program.addCommand(
    command('list', 'Lists the records of a type that somebody may see; for several people side by side.')
      .argument('<type>', 'the record type')
      .addOption(new Option('--for <person>', 'whose list; may be repeated').argParser(collect).default([], 'nobody'))
      .option('--fields <fields>', 'only these fields, with commas between', names)
      .addOption(
        new Option('--where <condition>', 'only where this holds: field=value, or "field operator value"; may be repeated')
          .argParser(collect)
          .default([], 'all'),
      )
      .option('--sort <fields>', 'the order, as in --sort=-number,siteId (- for descending)', names)
      .option('--limit <count>', 'at most so many', wholeNumber)
      .option('--differences', 'of several people: only what they do not all see alike')
      .addOption(without())
      .addOption(log())
      .addOption(live())
      .addOption(format(FORMATS))
      .addHelpText(
        'after',
        `
${wrapped(`Operators: ${FILTER_OPERATORS.join(', ')}. Values of a list are written with commas.`)}

Examples:
  pachter list plot --for bram --where state=let --sort=-rentDue
  pachter list plot --for ines --for bram --differences
  pachter list entry --for ines --for visitor --where "writtenAt isAfter 2026-03-05" --fields audience,text`,
      )
      .action((type, options) => listCommand(type, options)),
  )

  program.addCommand(
    command('matrix', 'Shows who may do what to which record; without a type, to how many of each.')
      .argument('[type]', 'the record type; all of them if left out')
      .addOption(new Option('--for <person>', 'only this person; may be repeated').argParser(collect).default([], 'everybody'))
      .addOption(new Option('--action <action>', 'only this action; may be repeated').argParser(collect).default([], 'all'))
      .addOption(
        new Option('--standing <name>', 'only records towards which one of them has this standing; may be repeated')
          .argParser(collect)
          .default([], 'any'),
      )
      .option('--changes', 'only what can be changed, and by whom')
      .option('--fields', 'the fields that each person sees and changes')
      .option('--clauses', 'the clauses by which each person may do it')
      .option('--all', 'every record in a line of its own, however many there are')
      .addOption(without())
      .addOption(live())
      .addOption(format(MATRIX_FORMATS))
      .addHelpText(
        'after',
        `
Examples:
  pachter matrix
  pachter matrix plot
  pachter matrix entry --for ines --for bram --standing author
  pachter matrix plot --changes --format markdown
  pachter matrix --format html > matrix.html           all of it as a page`,
      )
      .action((type, options) => matrixCommand(type, options)),
  )

  program.addCommand(
    command('who', 'Shows everyone who reaches a record, with what they may do and by which clauses; or who has a privilege.')
      .argument('<type>', 'the record type, or a privilege or routine')
      .argument('[key]', 'the key of the record (none for a privilege or routine)')
      .addOption(new Option('--for <person>', 'only this person; may be repeated').argParser(collect).default([], 'everybody'))
      .addOption(without())
      .addOption(live())
      .addOption(format(FORMATS))
      .addHelpText(
        'after',
        `
Examples:
  pachter who plot p-01
  pachter who openLedger`,
      )
      .action((type, key, options) => whoCommand(type, key, options)),
  )

  program.addCommand(
    command(
      'review',
      "Opens a page on which one looks through everybody's eyes: who may do what and why, lists side by side, what if, the rules and what they decide, and what was found.",
    )
      .option('--port <number>', 'where it listens, on this machine alone', '4320')
      .option('--out <folder>', 'writes a copy of it into a folder, to be handed to a reviewer; the records are in it')
      .addOption(without())
      .addOption(live())
      .addHelpText(
        'after',
        `
It follows your files. All that it writes are expectations that you keep.

Examples:
  pachter review
  pachter review --out for-review
  pachter review --db postgres://me@localhost/garden`,
      )
      .action((options) => reviewCommand(options)),
  )

  program.addCommand(
    command('try', 'Does something as somebody to a copy of the data: the verdict, and what changed.')
      .argument('<action>', 'read, create, update or delete; has a privilege, or call a routine')
      .argument('<type>', 'the record type; the privilege or routine')
      .argument('[key]', 'the key of the record (none for create)')
      .addOption(onePerson())
      .addOption(settings('a value to send; may be repeated'))
      .addOption(within())
      .addOption(without())
      .addOption(log())
      .addOption(live())
      .addOption(format(['text', 'json']))
      .addHelpText(
        'after',
        `
Examples:
  pachter try update plot p-01 --for tomasz --set planting=leeks
  pachter try create entry --for ines --set plotId=p-01 --set audience=site --set text="First frost"

Exit status: 0 if it was allowed, 1 if not.`,
      )
      .action(async (action, type, key, options) => end((await tryCommand(action, type, key, options)) ? 0 : 1)),
  )

  program.addCommand(
    command('why', 'Explains a verdict: the clause that decided, or the nearest one, with the values compared.')
      .argument('<action>', 'read, create, update, delete, or another that the record type names; has, or call')
      .argument('<type>', 'the record type; the privilege or routine')
      .argument('[key]', 'the key of the record (none for create)')
      .addOption(onePerson())
      .addOption(settings('for create and update: a value that would be sent; may be repeated'))
      .option('--all', 'every clause part by part, not the nearest alone')
      .addOption(within())
      .addOption(without())
      .addOption(live())
      .addOption(format(['text', 'json']))
      .addHelpText(
        'after',
        `
Examples:
  pachter why read plot p-01 --for bram
  pachter why update entry e-01 --for ines --set authorId=m-02
  pachter why has openLedger --for ines`,
      )
      .action((action, type, key, options) => whyCommand(action, type, key, options)),
  )

  program.addCommand(
    command('check', 'Judges what was written down of each person: what they see, may do, and are refused.')
      .argument('[files...]', 'expectation files or folders; those of the configuration if left out')
      .addOption(
        new Option('--for <person>', 'only what is expected of this person; may be repeated').argParser(collect).default([], 'everybody'),
      )
      .addOption(
        new Option('--type <type>', 'only what is expected of this record type; may be repeated').argParser(collect).default([], 'all'),
      )
      .option('--coverage [folder]', 'which rules came out both ways; into a folder as a page and as LCOV data too')
      .option('--mutants', 'weakens the rulebook step by step, and tells which steps no expectation notices')
      .option('--keep', 'with --mutants: appends the expectations that would notice them to kept.yaml')
      .option('--watch', 'again at every change of rules, data or expectations, until Ctrl-C')
      .option('--url <address>', 'judges an application that is running, by its routes, as each person')
      .option('--tokens <file>', 'with --url: a line of YAML for each person, as in ines: <token> (or PACHTER_TOKEN_INES)')
      .addOption(
        new Option('--may-write <type>', 'with --url: what is meant to be refused is really tried there; may be repeated')
          .argParser(collect)
          .default([], 'nothing is written'),
      )
      .addOption(
        new Option('--path <type=name>', 'with --url: what addresses call a record type; may be repeated')
          .argParser(collect)
          .default([], 'as the rulebook does'),
      )
      .addOption(
        new Option(
          '--handler <what=address>',
          'with --url: a handler of your own, as in "plot.update=POST /plots/{key}/planting"; may be repeated',
        )
          .argParser(collect)
          .default([], 'the routes'),
      )
      .addOption(live())
      .addOption(format(['text', 'json', 'junit']))
      .addHelpText(
        'after',
        `
An expectation file is YAML:

  pachter expectations: 1
  people:
    ines:
      sees exactly: { plot: [p-01, p-06] }
      sees: { plot: { p-01: all but wardenNotes } }
      does not see: { entry: [e-04] }
      changes exactly: { plot: { p-01: planting } }
      may:
        - update plot p-01: { sending: { planting: leeks } }
      is refused:
        - delete plot p-01: Only the warden of its site removes a plot, once it is vacant.
        - update plot p-02: { as: not found }
  tables:
    plot p-09:
      yuki: read, update
      farah: read, update
      kofi: read
      everyone else: nothing

Whatever is tried is tried on a copy; with --url, at the application. Exit status: 0 if all of it holds, 1 if not,
or if nothing was really tried.

Examples:
  pachter check
  pachter check --for ines --type plot
  pachter check --mutants
  pachter check --url https://marshlane.example/api --tokens tokens.yaml`,
      )
      .action(async (files, options) => end((await checkCommand(files, options)) ? 0 : 1)),
  )

  program.addCommand(
    command('drift', 'Shows who gained or lost what since a baseline was kept.')
      .option('--keep', 'keeps the access of now as the baseline')
      .option('--between <revisions...>', 'compares the rulebooks of two git revisions, or of one and of now, on the data of now')
      .option('--file <file>', 'the baseline; pachter.baseline.yaml beside the configuration if left out')
      .addOption(live())
      .addOption(format(['text', 'json']))
      .addHelpText(
        'after',
        `
The baseline is made to be committed and reviewed. Exit status: 0 if nothing changed, 1 if something did.

Examples:
  pachter drift --keep
  pachter drift
  pachter drift --between main HEAD`,
      )
      .action(async (options) => end((await driftCommand(options)) ? 0 : 1)),
  )

  program.addCommand(
    command('rules', 'Reads the rulebook back in plain English: who may do what to which records.')
      .argument('[type]', 'one record type; all of them if left out')
      .addOption(format(['text', 'markdown', 'json']))
      .addHelpText(
        'after',
        `
Examples:
  pachter rules plot
  pachter rules --format markdown > rules.md`,
      )
      .action((type, options) => rulesCommand(type, options)),
  )
  program.addCommand(databaseCommands(end))
  return program
}

const withhold = () =>
  new Option('--withhold <type.field>', 'a field that nobody may read by way of the database; may be repeated')
    .argParser(collect)
    .default([], 'none')

function databaseCommands(end: (status: number) => void): Command {
  const db = new Command('db').description('Looks at a database, without changing it: verify, indexes, row-security.').exitOverride()
  db.addCommand(
    command('verify', 'Compares rows by SQL with rows by evaluation in memory, for each person, record type and action.')
      .argument('<url>', 'the database: postgres://, mysql:// or sqlite:file')
      .addOption(new Option('--for <person>', 'only this person; may be repeated').argParser(collect).default([], 'everybody'))
      .addOption(new Option('--type <type>', 'only this record type; may be repeated').argParser(collect).default([], 'all'))
      .option('--role <role>', 'PostgreSQL: compares what row security shows this role, too')
      .addOption(withhold())
      .option('--batch <count>', 'so many records are in memory at once', wholeNumber)
      .addOption(format(['text', 'json']))
      .addHelpText(
        'after',
        `
Everything happens in one read-only transaction. Exit status: 0 if all are the same, 1 if not.

Examples:
  pachter db verify postgres://me@localhost/garden
  pachter db verify sqlite:garden.sqlite --type plot --for ines --for visitor
  pachter db verify postgres://me@localhost/garden --role reports      with row security`,
      )
      .action(async (url, options) => end((await verifyCommand(url, options)) ? 0 : 1)),
  )
  db.addCommand(
    command('indexes', 'Prints the indexes that rules could use and that a database does not have.')
      .argument('<url>', 'the database: postgres://, mysql:// or sqlite:file')
      .addOption(format(['text', 'json']))
      .addHelpText(
        'after',
        `
Examples:
  pachter db indexes postgres://me@localhost/garden | psql garden`,
      )
      .action((url, options) => indexesCommand(url, options)),
  )
  db.addCommand(
    command('row-security', 'Prints a migration that enforces the rulebook inside PostgreSQL.')
      .argument('[url]', 'the database, which is asked how columns hold what they hold: postgres://')
      .requiredOption('--role <role>', 'whom the policies are for, and who is given what they let, column by column')
      .option('--trusted <role>', 'from whom nothing is withheld: the role by which the guarded store connects')
      .option('--schema <schema>', 'of the tables, where the configuration names none; public if left out')
      .option('--functions <schema>', 'for the functions of the policies; pachter if left out')
      .addOption(withhold())
      .option('--undo', 'prints what undoes it')
      .addHelpText(
        'after',
        `
What policies cannot hold exactly is refused there, and listed at the beginning of the migration.

Examples:
  pachter db row-security postgres://me@localhost/garden --role reports --trusted app > row-security.sql
  pachter db row-security --role reports --undo | psql garden`,
      )
      .action((url, options) => rowSecurityCommand(url, options)),
  )
  return db
}

/** Does what a command line says. Gives the exit status: 0 fine, 1 a try was refused, 2 something is wrong. */
export async function run(args: readonly string[]): Promise<number> {
  let status = 0
  try {
    await everyCommand((ended) => {
      status = ended
    }).parseAsync([...args], { from: 'user' })
    return status
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2
    const message = error instanceof Error ? error.message : String(error)
    process.stderr.write(isPachterError(error) ? `pachter: ${message}\n` : `pachter: unexpected failure: ${message}\n`)
    if (process.env.PACHTER_DEBUG !== undefined && error instanceof Error) process.stderr.write(`${error.stack}\n`)
    return 2
  }
}
