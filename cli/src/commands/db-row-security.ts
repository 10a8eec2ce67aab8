import type { Command } from 'commander'
import { withDatabase } from '../database.js'
import { UsageError } from '../errors.js'
import { load } from '../load.js'
import { command, withhold } from '../options.js'
import { say } from '../output.js'
import type { CommonOptions } from '../session.js'

/** What `pachter db row-security` is told. */
export interface RowSecurityCommandOptions extends CommonOptions {
  readonly role: string
  readonly trusted?: string
  readonly schema?: string
  readonly functions?: string
  readonly withhold: readonly string[]
  readonly undo?: boolean
}

/** `pachter db row-security`: a migration that enforces the rulebook inside PostgreSQL, or what undoes it. */
async function rowSecurityCommand(url: string | undefined, options: RowSecurityCommandOptions): Promise<void> {
  const { book, layout: named } = await load(options.config)
  const { layoutOf, postgres, readLayout, rowSecurity } = await import('pachter/sql')
  const layout =
    url === undefined
      ? layoutOf(book, named)
      : await withDatabase(url, async ({ db, dialect }) => {
          if (dialect !== postgres) throw new UsageError('row security is for PostgreSQL: give a URL that begins with postgres://')
          return readLayout(db, dialect, book, named)
        })
  const { role, trusted, schema, functions, withhold } = options
  const given = Object.fromEntries(Object.entries({ trusted, schema, functions }).filter(([, value]) => value !== undefined))
  const { up, down, left } = rowSecurity(book, { layout, role, withhold, ...given })
  say((options.undo ? down : up).trimEnd())
  if (options.undo) return
  const lines = Object.values(left).flat().length
  process.stderr.write(
    `pachter: ${lines === 0 ? 'every rule is held' : `${lines} things are left to the application, as the migration says at its beginning`}. Nothing was changed: run it with psql, and compare with pachter db verify.\n`,
  )
  if (url === undefined)
    process.stderr.write('pachter: columns are taken to be as createTables makes them; with a URL, the database is asked.\n')
}

/** The command `db row-security`: its arguments, options and help. */
export function rowSecurityDeclaration(): Command {
  return command('row-security', 'Prints a migration that enforces the rulebook inside PostgreSQL.')
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
    .action((url, options) => rowSecurityCommand(url, options))
}
