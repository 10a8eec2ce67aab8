import type { Command } from 'commander'
import { typeModel } from 'pachter/internal/rulebook'
import { UsageError } from '../errors.js'
import { load } from '../load.js'
import { command, type End, format, names } from '../options.js'
import { say } from '../output.js'
import { findingsOf, isProved, PARTS, type Part } from '../prove/findings.js'
import { json, junitText, markdownText, sarif } from '../prove/formats.js'
import { saveExamples } from '../prove/save.js'
import { statementsOf } from '../prove/statements.js'
import { reportText } from '../prove/text.js'
import type { CommonOptions } from '../session.js'

interface ProveOptions extends CommonOptions {
  readonly format: 'text' | 'json' | 'junit' | 'markdown' | 'sarif'
  readonly only?: readonly string[]
  readonly saveExamples?: string
}

const isPart = (name: string): name is Part => (PARTS as readonly string[]).includes(name)

/** `pachter prove`: what holds for every person and all records. Returns whether everything is proved or accepted. */
async function proveCommand(options: ProveOptions): Promise<boolean> {
  const loaded = await load(options.config)
  const { book } = loaded
  const only = options.only ?? []
  const types = only.filter((name) => !isPart(name))
  for (const name of types) typeModel(book.model, name)
  const parts = only.some(isPart) ? PARTS.filter((part) => only.includes(part)) : PARTS
  const found = await findingsOf(book.model, parts, types.length === 0 ? Object.keys(book.model.types) : types)
  const statements = statementsOf(book, found)
  switch (options.format) {
    case 'text':
      reportText(statements, found)
      break
    case 'json':
      say(json(found))
      break
    case 'junit':
      say(junitText(statements))
      break
    case 'markdown':
      say(markdownText(statements, found))
      break
    case 'sarif':
      say(sarif(book, statements, found))
      break
  }
  if (options.saveExamples !== undefined) tellSaved(saveExamples(loaded, found, options.saveExamples))
  return isProved(found)
}

function tellSaved([first, ...others]: readonly string[]): void {
  if (first === undefined) process.stderr.write('There is no example to save.\n')
  else process.stderr.write(`Saved ${others.length + 1} examples. Open one: pachter review --config ${first}\n`)
}

/** The command `prove`: its arguments, options and help. */
export function proveDeclaration(end: End): Command {
  return command(
    'prove',
    'Proves for every person and all records: guarantees, that no write gives its writer more, and that each rule matters.',
  )
    .option('--only <names>', 'guarantees, self-promotion, idle-rules, or record types, separated by commas', names)
    .addOption(format(['text', 'json', 'junit', 'markdown', 'sarif']))
    .option(
      '--save-examples <folder>',
      'writes each example as a project of its own, with an expectation that fails until the rules are mended',
    )
    .addHelpText(
      'after',
      `
It reads the rulebook and no data: what is proved holds for everyone, ever. What is refuted comes with an example, a made-up person with a
few records. Self-promotion is one write that the rules allow, after which the same person may see, change or delete something of another
record that they could not before. Accept what is meant with book.accepts({ ... }).

Exit status: 0 if all is proved or accepted, 1 if something is refuted or undecided. Rules that do nothing are told, and change no status.

Examples:
  pachter prove
  pachter prove --only plot
  pachter prove --only guarantees --format junit
  pachter prove --format sarif > prove.sarif
  pachter prove --save-examples found`,
    )
    .action(async (options: ProveOptions) => {
      for (const part of options.only ?? []) if (part === '') throw new UsageError('prove --only: name what to judge')
      end((await proveCommand(options)) ? 0 : 1)
    })
}
