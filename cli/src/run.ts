import { createRequire } from 'node:module'
import { Command, CommanderError } from 'commander'
import { isPachterError } from 'pachter/internal/condition'
import { checkDeclaration } from './commands/check.js'
import { dumpDeclaration } from './commands/db-dump.js'
import { indexesDeclaration } from './commands/db-indexes.js'
import { rowSecurityDeclaration } from './commands/db-row-security.js'
import { verifyDeclaration } from './commands/db-verify.js'
import { driftDeclaration } from './commands/drift.js'
import { initDeclaration } from './commands/init.js'
import { listDeclaration } from './commands/list.js'
import { matrixDeclaration } from './commands/matrix.js'
import { peopleDeclaration } from './commands/people.js'
import { proveDeclaration } from './commands/prove.js'
import { reviewDeclaration } from './commands/review.js'
import { rulesDeclaration } from './commands/rules.js'
import { tryDeclaration } from './commands/try.js'
import { whoDeclaration } from './commands/who.js'
import { whyDeclaration } from './commands/why.js'
import { PACKAGE } from './installed.js'
import type { End } from './options.js'

const { version } = createRequire(import.meta.url)(PACKAGE) as { version: string }

function everyCommand(end: End): Command {
  const program = new Command('pachter')
    .description('Shows and checks who may do what, by the rules of a rulebook.')
    .version(version)
    .exitOverride()
    .showHelpAfterError('(run pachter --help to see all commands)')
    .addHelpText(
      'after',
      `
It uses the nearest pachter.config.ts, which exports the rulebook, a data folder and named people. With --db it reads the records
from a database instead of the folder. It never writes to either.

Examples:
  pachter init --db postgres://me@localhost/garden   draft rules from a database
  pachter people                                     the people and their claims
  pachter list plot --for ines --for bram            both lists side by side
  pachter matrix plot                                who may do what to which plot
  pachter who plot p-01                              everyone who can reach it, and by which clause
  pachter try delete plot p-03 --for ines            run it on a copy, and see what happens
  pachter why read plot p-01 --for bram              which clause decided, and with which values
  pachter check                                      check all expectations
  pachter drift                                      who gained or lost access since the baseline
  pachter prove                                      for everyone, ever: guarantees, and no self-promotion
  pachter db verify postgres://me@localhost/garden   compare SQL with evaluation in memory

Exit status: 0 success, 1 a try was refused or a check failed, 2 wrong usage, configuration or data.`,
    )

  const commands = [
    initDeclaration(end),
    peopleDeclaration(),
    listDeclaration(),
    matrixDeclaration(),
    whoDeclaration(),
    reviewDeclaration(),
    tryDeclaration(end),
    whyDeclaration(),
    checkDeclaration(end),
    driftDeclaration(end),
    proveDeclaration(end),
    rulesDeclaration(),
    databaseCommands(end),
  ]
  for (const one of commands) program.addCommand(one)
  return program
}

function databaseCommands(end: End): Command {
  const db = new Command('db').description('Reads a database without changing it: verify, indexes, row-security, dump.').exitOverride()
  const commands = [verifyDeclaration(end), indexesDeclaration(), rowSecurityDeclaration(), dumpDeclaration()]
  for (const one of commands) db.addCommand(one)
  return db
}

/** Runs a command line. Returns the exit status: 0 success, 1 a check failed or an attempt was refused, 2 an error. */
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
