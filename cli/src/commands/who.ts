import { type Command, Option } from 'commander'
import { accessMatrix } from 'pachter/internal/review'
import { typeModel, unknownName } from 'pachter/internal/rulebook'
import { grantsIn } from 'pachter/internal/viewpoint'
import pc from 'picocolors'
import { UsageError } from '../errors.js'
import { readKey } from '../key.js'
import { load } from '../load.js'
import { collect, command, format, live, watching, without } from '../options.js'
import { say } from '../output.js'
import { fieldsSaid, peopleOf } from '../people.js'
import { type CommonOptions, openSession } from '../session.js'
import { cell, csv, FORMATS, type Format, wrapped } from '../table.js'
import { watchAnswer } from '../watch.js'
import { isGrant, whoHas } from './grants.js'

interface WhoOptions extends CommonOptions {
  readonly for: readonly string[]
  readonly format: Format
}

/** `pachter who <type> <key>`, or `pachter who <name>` for a privilege or routine: everyone with access, with their actions and clauses. */
async function whoCommand(typeName: string, keyText: string | undefined, options: WhoOptions): Promise<void> {
  const { model } = await load(options.config)
  if (keyText === undefined) {
    if (isGrant(model, typeName)) return whoHas(typeName, options)
    if (Object.hasOwn(model.types, typeName))
      throw new UsageError(`who ${typeName}: give the key of a record, as in pachter who ${typeName} <key>`)
    const names = [...Object.keys(model.types), ...grantsIn(model).map(({ name }) => name)]
    throw new UsageError(unknownName('record type, privilege or routine', typeName, names))
  }
  if (isGrant(model, typeName) && !Object.hasOwn(model.types, typeName))
    throw new UsageError(`who: ${typeName} takes no key: leave out ${keyText}`)
  const session = await openSession(options, typeName)
  const type = typeModel(session.loaded.model, typeName)
  const key = readKey(type, keyText, `who ${typeName}`)
  const people = peopleOf(session, options.for)
  const matrix = accessMatrix(session.loaded.book, typeName, {
    people,
    records: session.records,
    ...(session.now === undefined ? {} : { now: session.now }),
  })
  if (!matrix.keys.includes(key))
    throw new UsageError(`there is no ${typeName} ${String(key)} in the data. Run pachter list ${typeName} --for system to see all.`)
  const found = matrix.people.map((name) => ({ name, standings: matrix.standings(name, key), access: matrix.access(name, key) }))
  const reaching = found.filter(({ access }) => access.length > 0)
  if (options.format === 'json') return say(JSON.stringify({ type: typeName, key, people: reaching }, null, 2))
  const lines = reaching.flatMap(({ name, standings, access }) =>
    access.map(({ action, clauses, fields }) => ({
      name,
      standings,
      action,
      clauses,
      fields: fieldsSaid(type, fields),
    })),
  )
  if (options.format === 'csv')
    return say(
      csv(
        ['person', 'action', 'clauses', 'fields', 'standings'],
        lines.map(({ name, action, clauses, fields, standings }) => [name, action, clauses.join(' | '), fields, standings.join(' ')]),
      ),
    )
  if (reaching.length === 0) say(`Nobody can reach ${typeName} ${cell(key)}, except the system.`)
  else
    say(
      wrapped(
        ['person', 'standings', 'may', 'fields', 'by'],
        lines.map(({ name, standings, action, clauses, fields }, at) => {
          const again = lines[at - 1]?.name === name
          return [again ? ' ' : name, again ? ' ' : standings.join(', '), action, fields, clauses.join('\n')]
        }),
      ),
    )
  say()
  const others = found.filter(({ access }) => access.length === 0).map(({ name }) => name)
  if (others.length > 0) say(pc.dim(`Not for: ${others.join(', ')}.`))
}

/** The command `who`: its arguments, options and help. */
export function whoDeclaration(): Command {
  return command('who', 'Shows everyone who can reach a record, what they may do and by which clauses; or who has a privilege.')
    .argument('<type>', 'the record type, or a privilege or routine')
    .argument('[key]', 'the key of the record (none for a privilege or routine)')
    .addOption(new Option('--for <person>', 'only this person; may be repeated').argParser(collect).default([], 'everyone'))
    .addOption(without())
    .addOption(live())
    .addOption(watching())
    .addOption(format(FORMATS))
    .addHelpText(
      'after',
      `
Examples:
  pachter who plot p-01
  pachter who openLedger`,
    )
    .action((type, key, options) => (options.watch ? watchAnswer(options) : whoCommand(type, key, options)))
}
