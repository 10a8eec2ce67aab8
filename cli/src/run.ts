import { createRequire } from 'node:module'
import { Command, CommanderError } from 'commander'
import { isPachterError } from 'pachter/internal/condition'
import { checkDeclaration } from './commands/check.js'
import { indexesDeclaration } from './commands/db-indexes.js'
import { rowSecurityDeclaration } from './commands/db-row-security.js'
import { verifyDeclaration } from './commands/db-verify.js'
import { driftDeclaration } from './commands/drift.js'
import { listDeclaration } from './commands/list.js'
import { matrixDeclaration } from './commands/matrix.js'
import { peopleDeclaration } from './commands/people.js'
import { reviewDeclaration } from './commands/review.js'
import { rulesDeclaration } from './commands/rules.js'
import { tryDeclaration } from './commands/try.js'
import { whoDeclaration } from './commands/who.js'
import { whyDeclaration } from './commands/why.js'
import type { End } from './options.js'

const { version } = createRequire(import.meta.url)('../package.json') as { version: string }

function everyCommand(end: End): Command {
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
  pachter drift                                      who gained or lost what since it was saved
  pachter rules plot                                 the rules of plots in plain English
  pachter db verify postgres://me@localhost/garden   the rows by SQL beside those by evaluation in memory

Exit status: 0 fine, 1 a try was refused or a check failed, 2 something is wrong with the call, the configuration or the data.`,
    )

  const commands = [
    peopleDeclaration(),
    listDeclaration(),
    matrixDeclaration(),
    whoDeclaration(),
    reviewDeclaration(),
    tryDeclaration(end),
    whyDeclaration(),
    checkDeclaration(end),
    driftDeclaration(end),
    rulesDeclaration(),
    databaseCommands(end),
  ]
  for (const one of commands) program.addCommand(one)
  return program
}

function databaseCommands(end: End): Command {
  const db = new Command('db').description('Looks at a database, without changing it: verify, indexes, row-security.').exitOverride()
  const commands = [verifyDeclaration(end), indexesDeclaration(), rowSecurityDeclaration()]
  for (const one of commands) db.addCommand(one)
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
