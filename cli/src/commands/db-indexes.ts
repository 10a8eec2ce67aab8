import { type Command, InvalidArgumentError } from 'commander'
import type { ListOrder } from 'pachter/sql'
import pc from 'picocolors'
import { withDatabase } from '../database.js'
import { warnOfLinks } from '../links.js'
import { load } from '../load.js'
import { command, format } from '../options.js'
import { say } from '../output.js'
import type { CommonOptions } from '../session.js'
import { shortened } from '../table.js'

/** `pachter db indexes`: lists indexes that rules could use and that the database lacks. */
async function indexesCommand(
  url: string,
  options: CommonOptions & { readonly format: 'text' | 'json'; readonly sort?: readonly ListOrder[] },
): Promise<void> {
  const loaded = await load(options.config)
  const { book, layout } = loaded
  const { missingIndexes, readLayout } = await import('pachter/sql')
  const { wanted, missing } = await withDatabase(url, async (database) => {
    const { db, dialect } = database
    const there = await readLayout(db, dialect, book, layout)
    await warnOfLinks(database, loaded, there)
    return missingIndexes(db, dialect, book, there, options.sort)
  })
  if (options.format === 'json') return say(JSON.stringify({ wanted, missing }, null, 2))
  for (const { type, field, following = [], rules, statement, partial = [], for: use } of missing) {
    const [first = '', ...others] = rules
    const purpose =
      use === 'time' ? '; for live lists, as time passes' : use === 'order' ? `; for lists sorted by ${following.at(0) ?? field}` : ''
    say(pc.dim(`-- ${shortened(first, 90)}${others.length > 0 ? `, and ${others.length} more` : ''}${purpose}`))
    for (const condition of partial) say(pc.dim(`-- there is a partial index, which the rules cannot use: ${shortened(condition, 80)}`))
    say(statement ?? `-- ${type}.${field}: this database cannot index the elements of a list`)
  }
  if (missing.length > 0) say()
  say(
    missing.length === 0
      ? `All ${wanted} indexes that the rules could use are there.`
      : pc.dim(`-- ${missing.length} of ${wanted} indexes that the rules could use are missing. Nothing was changed.`),
  )
}

/** Reads `plot=-number,state`, in addition to the orders before. @throws InvalidArgumentError */
function readOrder(text: string, before: readonly ListOrder[] = []): readonly ListOrder[] {
  const [, type = '', fields] = /^([^=]+)=(.+)$/.exec(text) ?? []
  if (fields === undefined) throw new InvalidArgumentError('Write a record type and fields, as in "plot=-number,state".')
  return [...before, { type, sort: fields.split(',') }]
}

/** The command `db indexes`: its arguments, options and help. */
export function indexesDeclaration(): Command {
  return command('indexes', 'Prints the missing indexes: those that the rules could use.')
    .argument('<url>', 'the database: postgres://, mysql:// or sqlite:file')
    .addOption(format(['text', 'json']))
    .option('--sort <type=fields>', 'also for lists in this order; can be repeated', readOrder)
    .addHelpText(
      'after',
      `
Examples:
  pachter db indexes postgres://me@localhost/garden | psql garden
  pachter db indexes postgres://me@localhost/garden --sort plot=-number --sort entry=-writtenAt`,
    )
    .action((url, options) => indexesCommand(url, options))
}
