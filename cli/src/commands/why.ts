import type { Command } from 'commander'
import { describe, type Row, type Wording } from 'pachter/internal/condition'
import { missedBy } from 'pachter/internal/review'
import { type Key, keyOf, knownAction, type TypeModel, typeModel } from 'pachter/internal/rulebook'
import type { ClauseTrace, Explanation } from 'pachter/internal/viewpoint'
import pc from 'picocolors'
import { UsageError } from '../errors.js'
import { clauseText } from '../explain.js'
import { readKey } from '../key.js'
import { command, format, live, onePerson, settings, watching, within, without } from '../options.js'
import { say } from '../output.js'
import { type Places, placesOf, placeText } from '../places.js'
import { openSession, type Person } from '../session.js'
import { hanging, printable } from '../table.js'
import { readSettings } from '../values.js'
import { watchAnswer } from '../watch.js'
import { isOfGrant, whyGrant } from './grants.js'
import type { TryOptions } from './try.js'

/** `pachter why <action> <type> <key> --for <person>`: the clause that decided or, for a refusal, the nearest one. */
async function whyCommand(
  actionName: string,
  typeName: string,
  keyText: string | undefined,
  options: TryOptions & { readonly all?: boolean },
): Promise<void> {
  if (isOfGrant(actionName)) return whyGrant(actionName, typeName, options)
  const session = await openSession(options, typeName)
  const type = typeModel(session.loaded.model, typeName)
  const action = knownAction(type, actionName)
  const person = session.person(options.for)
  const sent = readSettings(type, options.set)
  if (person.claims === undefined) throw new UsageError('why: no rules apply to the system. Name a person.')
  if (action === 'create' && keyText !== undefined)
    throw new UsageError('why create takes no key: describe the record with --set field=value')
  if (action !== 'create' && action !== 'update' && options.set.length > 0) throw new UsageError(`why ${action} takes no --set`)
  const key = action === 'create' ? undefined : readKey(type, keyText, `why ${action} ${typeName}`)
  const stored = key === undefined ? sent : findRecord(session.records[typeName] as readonly Row[], type, key)
  const becomes = options.set.length > 0 && action === 'update' ? { ...stored, ...sent } : undefined
  const explanation = session.viewpoint(person, options.within).why(action, typeName, stored, becomes)
  const places = placesOf(session.loaded.model)
  if (options.format === 'json') say(JSON.stringify(withPlaces(explanation, type, places), null, 2))
  else report(explanation, type, person, places, options.all)
}

function findRecord(rows: readonly Row[], type: TypeModel, key: Key): Row {
  const found = rows.find((row) => keyOf(type, row) === key)
  if (found === undefined)
    throw new UsageError(`there is no ${type.name} ${String(key)} in the data. Run pachter list ${type.name} --for system to see all.`)
  return found
}

/** The explanation, with the source position of each clause. */
function withPlaces({ clause, clauses, ...rest }: Explanation, type: TypeModel, places: Places) {
  const placed = (one: ClauseTrace) => ({ ...one, place: places.clause(type.name, rest.decidedBy, one.title) })
  return { ...rest, ...(clause ? { clause: placed(clause) } : {}), clauses: clauses.map(placed) }
}

function report(
  { verdict, decidedBy, clauses, clause, withheldBy, fields }: Explanation,
  type: TypeModel,
  person: Person,
  places: Places,
  all = false,
): void {
  const name = person.name === 'visitor' ? 'a visitor' : person.name
  const wording: Wording = { record: `the ${type.name}`, person: `${name}'s` }
  const record = `${type.name}${verdict.key === undefined ? '' : ` ${verdict.key}`}`
  say(`${name} ${verdict.allowed ? pc.green('may') : pc.red('may not')} ${verdict.action} ${record}: ${verdict.outcome}`)
  if (verdict.message !== undefined) say(`  Message: ${verdict.message}`)
  if (decidedBy !== verdict.action)
    say(`  To ${verdict.action} a record, a person has to be allowed to ${decidedBy} it. The ${decidedBy} clauses decide here.`)
  if (verdict.fields !== undefined) say(`  Fields: ${verdict.fields.join(', ') || 'none'}, besides the key.`)
  say()
  sayWithheld(withheldBy, type, places, wording)
  sayFields(fields ?? [])
  if (clause === undefined) {
    say(`No clause allows anyone to ${decidedBy} a ${type.name}.`)
    return
  }
  const place = placeText(places.clause(type.name, decidedBy, clause.title))
  say(
    verdict.allowed
      ? `Allowed by this ${decidedBy} clause${place}:`
      : clause.holds
        ? `This ${decidedBy} clause would allow it${place}:`
        : `Nearest ${decidedBy} clause${place}:`,
  )
  for (const line of clauseText(clause, wording)) say(line)
  if (clause.onlyWithin) say(`  It applies within ${clause.onlyWithin.join(' or ')} only. Use --within.`)
  const others = clauses.filter((other) => other !== clause)
  if (others.length === 0) return
  say()
  say('The other clauses:')
  if (!all) return sayOthers(others, wording)
  for (const other of others) {
    say()
    for (const line of clauseText(other, wording)) say(line)
  }
}

/** The gates and vetoes that refuse. */
function sayWithheld(withheldBy: Explanation['withheldBy'], type: TypeModel, places: Places, wording: Wording): void {
  for (const { kind, title, trace, afterwards } of withheldBy) {
    say(
      kind === 'gate'
        ? `Refused by a gate that does not hold${afterwards ? ' for the record as it would become' : ''}:`
        : `Refused by a veto${placeText(places.veto(type.name, title))}:`,
    )
    for (const line of clauseText({ title: kind === 'gate' ? describe(trace.node, wording) : title, holds: trace.holds, trace }, wording))
      say(line)
    say()
  }
}

/** Which of the sent fields are accepted, and which are not. */
function sayFields(fields: NonNullable<Explanation['fields']>): void {
  for (const { field, letBy, wouldBeLetBy } of fields) {
    const others = wouldBeLetBy.length === 0 ? 'none' : wouldBeLetBy.join('; ')
    if (letBy.length > 0) say(`  ${pc.green('allowed')}  ${field}, by: ${letBy.join('; ')}`)
    else say(`  ${pc.red('refused')}  ${field}; clauses that would allow it if they held: ${others}`)
  }
  if (fields.length > 0) say()
}

/** As many of the other clauses as fit on a screen, each with the reason why it fails. */
function sayOthers(others: readonly ClauseTrace[], wording: Wording): void {
  for (const other of others.slice(0, MOST_OTHERS)) {
    const head = `  ${other.holds ? pc.green('holds') : pc.red('fails')}  ${other.title}${outside(other)}`
    say(head)
    if (!other.holds) say(pc.dim(`         ${hanging(printable(missedBy(other, wording)), 9)}`))
  }
  const left = others.length - MOST_OTHERS
  say(pc.dim(left > 0 ? `  and ${left} more. Use --all to see each in full.` : '  Use --all to see each in full.'))
}

const MOST_OTHERS = 6

function outside({ onlyWithin, trace }: ClauseTrace): string {
  return onlyWithin !== undefined && trace.holds ? ` (it would hold there: --within ${onlyWithin[0]})` : ''
}

/** The command `why`: its arguments, options and help. */
export function whyDeclaration(): Command {
  return command('why', 'Explains a verdict: the clause that decided, or the nearest one, with the compared values.')
    .argument('<action>', 'an action of the record type; has (a privilege) or call (a routine)')
    .argument('<type>', 'the record type; the privilege or routine')
    .argument('[key]', 'the key of the record (none for create)')
    .addOption(onePerson())
    .addOption(settings('for create and update: a value to send; may be repeated'))
    .option('--all', 'shows every clause in full, not only the nearest')
    .addOption(within())
    .addOption(without())
    .addOption(live())
    .addOption(watching())
    .addOption(format(['text', 'json']))
    .addHelpText(
      'after',
      `
Examples:
  pachter why read plot p-01 --for bram
  pachter why update entry e-01 --for ines --set authorId=m-02
  pachter why has openLedger --for ines`,
    )
    .action((action, type, key, options) => (options.watch ? watchAnswer(options) : whyCommand(action, type, key, options)))
}
