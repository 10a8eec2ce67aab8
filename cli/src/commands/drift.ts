import { existsSync, readFileSync } from 'node:fs'
import { relative, resolve } from 'node:path'
import type { Command } from 'commander'
import { type Baseline, baselineOf, type Drift, driftBetween, isNoDrift } from 'pachter/internal/review'
import type { Model } from 'pachter/internal/rulebook'
import { typeModel } from 'pachter/internal/rulebook'
import type { Rulebook } from 'pachter/internal/viewpoint'
import pc from 'picocolors'
import { baselineFile } from '../baseline.js'
import { sayChanges, sayGrants, sayRules } from '../changes.js'
import { reportForEveryone } from '../drift-for-everyone.js'
import { driftSarif } from '../drift-sarif.js'
import { UsageError } from '../errors.js'
import { baselineText, readBaseline } from '../files/baseline-file.js'
import { load } from '../load.js'
import { command, type End, format, live } from '../options.js'
import { say } from '../output.js'
import { peopleOf } from '../people.js'
import { rulebookAt } from '../revision.js'
import { type CommonOptions, openSession } from '../session.js'
import { printable } from '../table.js'
import { writeWhole } from '../write.js'

interface DriftOptions extends CommonOptions {
  readonly save?: boolean
  readonly file?: string
  /** One or two revisions. A single one is compared with the current rulebook. */
  readonly between?: readonly string[]
  readonly forEveryone?: boolean
  readonly format: 'text' | 'json' | 'sarif'
}

/** `pachter drift`: what people gained or lost since the baseline was saved. Returns whether nothing changed. */
async function driftCommand(options: DriftOptions): Promise<boolean> {
  if (options.between !== undefined) return driftBetweenRevisions(options.between, options)
  if (options.forEveryone)
    throw new UsageError('drift --for-everyone compares two rulebooks: name their revisions, as in --between main HEAD')
  const session = await openSession(options)
  const { model } = session.loaded
  const file = options.file === undefined ? baselineFile(session.loaded) : resolve(options.file)
  const shown = relative(process.cwd(), file) || file
  const now = baselineOf(session.loaded.book, {
    people: peopleOf(session, []),
    records: session.records,
    now: session.now ?? new Date(),
  })
  if (options.save === true) {
    const same = existsSync(file) && saysSo(readFileSync(file, 'utf8'), now)
    if (!same) writeWhole(file, baselineText(now))
    say(same ? `${shown} is up to date already.` : `Saved ${shown}: ${now.people.length} people, ${recordsIn(now.access)} records.`)
    return true
  }
  if (!existsSync(file)) throw new UsageError(`there is no baseline ${shown}. Save one with pachter drift --save, and commit it.`)
  const drift = driftBetween(readBaseline(readFileSync(file, 'utf8'), shown, model), now, model)
  if (options.format === 'json') say(JSON.stringify(drift, null, 2))
  else if (options.format === 'sarif') say(driftSarif(drift, model))
  else report(drift, model, shown)
  return isNoDrift(drift)
}

/** Two rulebooks on the current data and people. */
async function driftBetweenRevisions(revisions: readonly string[], options: DriftOptions): Promise<boolean> {
  if (options.save || options.file !== undefined)
    throw new UsageError('drift --between compares two rulebooks, not the baseline: leave out --save and --file')
  const [first = '', second, ...more] = revisions
  if (more.length > 0) throw new UsageError('drift --between: give one revision, to compare with the working tree, or two')
  if (options.forEveryone) {
    const { book, file } = await load(options.config)
    const before = await rulebookAt(first, file)
    const after = second === undefined ? book : await rulebookAt(second, file)
    return reportForEveryone({ before, after, from: first, to: second ?? 'the working tree', here: book }, options.format)
  }
  const session = await openSession(options)
  const before = await rulebookAt(first, session.loaded.file)
  const after = second === undefined ? session.loaded.book : await rulebookAt(second, session.loaded.file)
  const people = peopleOf(session, [])
  const now = session.now ?? new Date()
  const of = (book: Rulebook, revision: string): Baseline => {
    // If one of them does not have a record type yet, it has no records of it.
    const records = Object.fromEntries(Object.keys(book.model.types).map((type) => [type, session.records[type] ?? []]))
    try {
      return baselineOf(book, { people, records, now })
    } catch (error) {
      throw new UsageError(`revision ${revision}: ${error instanceof Error ? error.message : String(error)}`)
    }
  }
  const drift = driftBetween(of(before, first), of(after, second ?? 'here'), after.model)
  if (options.format === 'json') say(JSON.stringify(drift, null, 2))
  else if (options.format === 'sarif') say(driftSarif(drift, session.loaded.model))
  else if (isNoDrift(drift)) {
    say(`No changes in access from ${first} to ${second ?? 'the working tree'}, on the current data. The rules are the same.`)
    sayNotCompared()
  } else {
    say(`From ${first} to ${second ?? 'the working tree'}, on the current data:`)
    say()
    changes(drift)
    sayNotCompared()
  }
  return isNoDrift(drift)
}

/** Whether a file contains the same access, whenever it was saved. */
function saysSo(text: string, now: Baseline): boolean {
  const at = /^at: (.+)$/m.exec(text)?.[1]
  return at !== undefined && text === baselineText({ ...now, at })
}

function recordsIn(access: { readonly [type: string]: object }): number {
  return Object.values(access).reduce((sum, records) => sum + Object.keys(records).length, 0)
}

function report(drift: Drift, model: Model, file: string): void {
  if (isNoDrift(drift)) {
    say(`No changes in access since ${file} was saved. The rules are the same.`)
    return sayNotCompared()
  }
  changes(drift)
  const types = new Set([...drift.gained, ...drift.lost].map(({ type }) => typeModel(model, type).name))
  const [first] = [...drift.gained, ...drift.lost]
  if (first !== undefined)
    say(pc.dim(`Of ${[...types].join(', ')}. To see why, run pachter why ${first.action} ${first.type} ${first.key} --for ${first.person}`))
  say(`If these changes are intended, run pachter drift --save and commit ${file}.`)
  sayNotCompared()
}

/** What a comparison of access cannot show. */
function sayNotCompared(): void {
  say(pc.dim('Not compared: messages, the validation of shapes, and the code around the rules.'))
}

/** Gains and losses, separately. */
function changes(drift: Drift): void {
  sayChanges('Widened', drift.gained, pc.red('+'))
  sayChanges('Narrowed', drift.lost, pc.green('-'))
  for (const { type, person, before, after } of drift.creates) say(`${person} creates ${type} records: ${before} before, ${after} now`)
  if (drift.creates.length > 0) say()
  sayGrants(drift.grants)
  sayRules(drift.rules)
  const only = (what: string, { people, records }: Drift['onlyBefore']) => {
    const all = [...people, ...records.map(printable)]
    if (all.length > 0) say(`${what}: ${all.slice(0, 12).join(', ')}${all.length > 12 ? `, and ${all.length - 12} more` : ''}`)
  }
  only('Removed, and not compared', drift.onlyBefore)
  only('New, and not compared', drift.onlyAfter)
}

/** The command `drift`: its arguments, options and help. */
export function driftDeclaration(end: End): Command {
  return command('drift', 'Shows who gained or lost access since the baseline was saved.')
    .option('--save', 'saves the current access as the baseline')
    .option('--between <revisions...>', 'compares the rulebooks of two git revisions, or of one and the working tree, on the current data')
    .option('--for-everyone', 'with --between: for every person and all records, not only for the current data')
    .option('--file <file>', 'the baseline (default: pachter.baseline.yaml next to the configuration)')
    .addOption(live())
    .addOption(format(['text', 'json', 'sarif']))
    .addHelpText(
      'after',
      `
Commit the baseline and review its changes. Exit status: 0 if nothing changed, 1 if something did.

Examples:
  pachter drift --save
  pachter drift
  pachter drift --between main HEAD
  pachter drift --between main HEAD --for-everyone
  pachter drift --between main HEAD --for-everyone --format sarif > drift.sarif`,
    )
    .action(async (options) => end((await driftCommand(options)) ? 0 : 1))
}
