import type { Command } from 'commander'
import { withDatabase } from '../database.js'
import { UsageError } from '../errors.js'
import { load } from '../load.js'
import { command, withhold } from '../options.js'
import { say } from '../output.js'
import type { CommonOptions } from '../session.js'

/** The options of `pachter db row-security`. */
export interface RowSecurityCommandOptions extends CommonOptions {
  readonly role: string
  readonly trusted?: string
  readonly schema?: string
  readonly functions?: string
  readonly withhold: readonly string[]
  readonly undo?: boolean
}

/** `pachter db row-security`: prints a migration that enforces the rulebook in PostgreSQL, or its down migration. */
async function rowSecurityCommand(url: string | undefined, options: RowSecurityCommandOptions): Promise<void> {
  const { book, layout: named } = await load(options.config)
  const { layoutOf, postgres, readLayout, rowSecurity } = await import('pachter/sql')
  const layout =
    url === undefined
      ? layoutOf(book, named)
      : await withDatabase(url, async ({ db, dialect }) => {
          if (dialect !== postgres) throw new UsageError('row security needs PostgreSQL: give a URL that begins with postgres://')
          return readLayout(db, dialect, book, named)
        })
  const { role, trusted, schema, functions, withhold } = options
  const given = Object.fromEntries(Object.entries({ trusted, schema, functions }).filter(([, value]) => value !== undefined))
  const { up, down, left } = rowSecurity(book, { layout, role, withhold, ...given })
  say((options.undo ? down : up).trimEnd())
  if (options.undo) return
  const lines = Object.values(left).flat().length
  process.stderr.write(
    `pachter: ${lines === 0 ? 'every rule is enforced' : `${lines} rules are left to the application (listed at the beginning of the migration)`}. Nothing was changed. Run the migration with psql, and check it with pachter db verify.\n`,
  )
  if (url === undefined)
    process.stderr.write('pachter: assuming the columns that createTables makes. Give a URL to read them from the database.\n')
}

/** The command `db row-security`: its arguments, options and help. */
export function rowSecurityDeclaration(): Command {
  return command('row-security', 'Prints a migration that enforces the rulebook inside PostgreSQL.')
    .argument('[url]', 'the database, from which the columns are read: postgres://')
    .requiredOption('--role <role>', 'the role that the policies are for; it is granted the columns that they allow')
    .option('--trusted <role>', 'a role with full access: the one that the guarded store connects as')
    .option('--schema <schema>', 'the schema of the tables, unless the configuration names one (default: public)')
    .option('--functions <schema>', 'the schema for the functions of the policies (default: pachter)')
    .addOption(withhold())
    .option('--undo', 'prints the down migration')
    .addHelpText(
      'after',
      `
If policies cannot express a rule exactly, they refuse it. Such rules are listed at the beginning of the migration.

Examples:
  pachter db row-security postgres://me@localhost/garden --role reports --trusted app > row-security.sql
  pachter db row-security --role reports --undo | psql garden`,
    )
    .action((url, options) => rowSecurityCommand(url, options))
}
