import { existsSync, mkdirSync, readdirSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { type Command, InvalidArgumentError } from 'commander'
import { jsonText } from 'pachter/internal/condition'
import pc from 'picocolors'
import { withDatabase } from '../database.js'
import { UsageError } from '../errors.js'
import { load } from '../load.js'
import { command } from '../options.js'
import { readingProgress, say } from '../output.js'
import type { CommonOptions } from '../session.js'
import { writeWhole } from '../write.js'

interface DumpOptions extends CommonOptions {
  readonly sample?: number
  readonly replace?: boolean
}

/** `pachter db dump <url> <folder>`: writes a data folder from a database. */
async function dumpCommand(url: string, folder: string, { config, sample: of, replace = false }: DumpOptions): Promise<void> {
  const { book, layout } = await load(config)
  const target = resolve(folder)
  const names = Object.keys(book.model.types)
  const there = existsSync(target) ? readdirSync(target).filter((file) => names.some((name) => file === `${name}.json`)) : []
  if (there.length > 0 && !replace)
    throw new UsageError(`${join(folder, there[0] as string)} is there already. To replace it, add --replace.`)
  const { sample, snapshot } = await import('pachter/kysely')
  const { readLayout } = await import('pachter/sql')
  const records = await withDatabase(url, async ({ db, dialect }) => {
    const places = await readLayout(db, dialect, book, layout)
    if (of !== undefined) return sample(book, db, dialect, { of, layout: places })
    return snapshot(book, db, dialect, { layout: places, progress: readingProgress() })
  })
  mkdirSync(target, { recursive: true })
  for (const name of names) {
    const rows = records[name] ?? []
    // One record a line: changes of a dump can be compared.
    const lines = rows.map((row) => `  ${jsonText(row)}`).join(',\n')
    writeWhole(join(target, `${name}.json`), rows.length === 0 ? '[]\n' : `[\n${lines}\n]\n`)
    say(`${String(rows.length).padStart(8)} ${name}`)
  }
  say(pc.dim(`Written to ${folder}. These are real records, with all of their fields: keep them as you keep the database.`))
}

function readCount(text: string): number {
  const count = Number(text)
  if (!Number.isSafeInteger(count) || count < 1) throw new InvalidArgumentError('Write a whole number, such as 50.')
  return count
}

/** The command `db dump`: its arguments, options and help. */
export function dumpDeclaration(): Command {
  return command('dump', 'Writes a data folder from a database, for the other commands and for tests.')
    .argument('<url>', 'the database: postgres://, mysql:// or sqlite:file')
    .argument('<folder>', 'where to write a JSON file for each record type')
    .option('--sample <count>', 'only so many records of each type, and the records that they link to', readCount)
    .option('--replace', 'replace files that are there')
    .addHelpText(
      'after',
      `
Examples:
  pachter db dump postgres://me@localhost/garden data --sample 50
  pachter db dump postgres://me@localhost/garden data --replace`,
    )
    .action((url, folder, options) => dumpCommand(url, folder, options))
}
