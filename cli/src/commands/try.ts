import type { Command } from 'commander'
import { isPachterError, jsonText, type Row } from 'pachter/internal/condition'
import { type Baseline, baselineOf, type Drift, driftBetween } from 'pachter/internal/review'
import { keyOf, knownAction, type TypeModel, typeModel } from 'pachter/internal/rulebook'
import { DeniedError, type GuardedStore, InvalidError, type Store } from 'pachter/internal/store'
import pc from 'picocolors'
import { sayChanges, sayGrants } from '../changes.js'
import { UsageError } from '../errors.js'
import { readKey } from '../key.js'
import { command, type End, format, live, log, onePerson, settings, watching, within, without } from '../options.js'
import { say } from '../output.js'
import { peopleOf } from '../people.js'
import { type CliSession, COMPARING, type CommonOptions, openSession, type Person, storeFor } from '../session.js'
import { cell } from '../table.js'
import { readSettings } from '../values.js'
import { watchAnswer } from '../watch.js'
import { isOfGrant, tryGrant } from './grants.js'

/** The options of `pachter try`. */
export interface TryOptions extends CommonOptions {
  readonly for: string
  readonly set: readonly string[]
  readonly within?: string
  readonly format: 'text' | 'json'
}

interface RecordChange {
  readonly type: string
  readonly key: unknown
  readonly before: Row | undefined
  readonly after: Row | undefined
}

/** `pachter try <action> <type> [key] --for <person>`: runs the action on a copy of the data, and shows the result. Returns whether it was allowed. */
async function tryCommand(actionName: string, typeName: string, keyText: string | undefined, options: TryOptions): Promise<boolean> {
  if (isOfGrant(actionName)) return tryGrant(actionName, typeName, options)
  const session = await openSession(options, typeName, { everything: true })
  const type = typeModel(session.loaded.model, typeName)
  const action = knownAction(type, actionName)
  const person = session.person(options.for)
  const sent = readSettings(type, options.set)
  if (action === 'create' && keyText !== undefined) throw new UsageError('try create takes no key: the server sets it')
  if ((action === 'read' || action === 'delete') && options.set.length > 0) throw new UsageError(`try ${action} takes no --set`)
  if (action === 'update' && options.set.length === 0) throw new UsageError('try update needs at least one --set field=value')
  const key = action === 'create' ? undefined : readKey(type, keyText, `try ${action} ${typeName}`)
  const store = session.store()
  const mine = storeFor(store, person)
  const result = await attempt(mine, options.within, (one) => doIt(one, action, type, key, sent))
  const records = await recordsNow(session, store)
  const changes = changesSince(session, records)
  const effects = changes.length > 0 ? effectsOf(session, records) : { gained: [], lost: [], grants: [] }
  if (options.format === 'json') say(jsonText({ ...result.said, changes, effects }, 2))
  else {
    report(type, action, person, key, result, changes)
    sayEffects(effects, changes)
  }
  return result.said.outcome === 'allowed'
}

interface Attempt {
  readonly said: { readonly outcome: string; readonly message?: string; readonly faults?: unknown }
  readonly record?: Row
}

async function doIt(store: GuardedStore, action: string, { name }: TypeModel, key: unknown, sent: Row): Promise<unknown> {
  switch (action) {
    case 'read':
      return store.get(name, key as string)
    case 'create':
      return store.create(name, sent)
    case 'update':
      return store.update(name, key as string, sent)
    case 'delete':
      return store.delete(name, key as string)
    default:
      throw new UsageError(`try ${action}: this action changes nothing by itself. Run pachter why ${action} ${name} ${String(key)}.`)
  }
}

async function attempt(store: GuardedStore, within: string | undefined, work: (store: GuardedStore) => Promise<unknown>): Promise<Attempt> {
  try {
    const record = within === undefined ? await work(store) : await store.routine(within, work)
    return { said: { outcome: 'allowed' }, ...(record ? { record: record as Row } : {}) }
  } catch (error) {
    if (error instanceof DeniedError) return { said: { outcome: error.verdict.outcome, message: error.message } }
    if (error instanceof InvalidError) return { said: { outcome: 'invalid', message: error.message, faults: error.faults } }
    if (isPachterError(error, 'DUPLICATE_KEY')) return { said: { outcome: 'invalid', message: error.message } }
    throw error
  }
}

async function recordsNow(session: CliSession, store: Store): Promise<{ readonly [type: string]: readonly Row[] }> {
  const system = store.asSystem(COMPARING)
  const records: Record<string, readonly Row[]> = {}
  for (const type of Object.keys(session.loaded.model.types)) records[type] = (await system.list(type)) as Row[]
  return records
}

/** Who gains and loses access by it, from the access matrices before and after. */
function effectsOf(session: CliSession, records: { readonly [type: string]: readonly Row[] }): Effects {
  const options = { people: peopleOf(session, []), now: session.now ?? new Date() }
  const [before, after] = [session.records, records].map((of) => baselineOf(session.loaded.book, { ...options, records: of }))
  const { gained, lost, grants } = driftBetween(before as Baseline, after as Baseline, session.loaded.model, { everything: true })
  return { gained, lost, grants }
}

type Effects = Pick<Drift, 'gained' | 'lost' | 'grants'>

function sayEffects({ gained, lost, grants }: Effects, changes: readonly RecordChange[]): void {
  if (changes.length === 0) return
  say()
  if (gained.length + lost.length + grants.length === 0) return say('This changes what nobody sees or may do.')
  sayChanges('Gained', gained, pc.yellow('+'))
  sayChanges('Lost', lost, pc.yellow('-'))
  sayGrants(grants)
}

/** Every record that differs from the data folder: found by comparing, whatever the action was meant to do. */
function changesSince(session: CliSession, records: { readonly [type: string]: readonly Row[] }): RecordChange[] {
  const changes: RecordChange[] = []
  for (const type of Object.values(session.loaded.model.types)) {
    const before = new Map((session.records[type.name] ?? []).map((row) => [keyOf(type, row as Row), row as Row]))
    for (const row of records[type.name] ?? []) {
      const was = before.get(keyOf(type, row))
      before.delete(keyOf(type, row))
      if (jsonText(was) !== jsonText(row)) changes.push({ type: type.name, key: keyOf(type, row), before: was, after: row })
    }
    for (const [key, row] of before) changes.push({ type: type.name, key, before: row, after: undefined })
  }
  return changes
}

function report(
  type: TypeModel,
  action: string,
  person: Person,
  key: unknown,
  { said, record }: Attempt,
  changes: readonly RecordChange[],
): void {
  const allowed = said.outcome === 'allowed'
  const what = `${person.name} tries to ${action} ${type.name}${key === undefined ? '' : ` ${String(key)}`}`
  say(`${what}: ${allowed ? pc.green('allowed') : pc.red(said.outcome)}`)
  if (said.message !== undefined) say(`  ${said.message}`)
  if (action === 'read' && record !== undefined) for (const [name, value] of Object.entries(record)) say(`  ${name}: ${cell(value)}`)
  if (changes.length === 0) {
    const untouched =
      key === undefined || said.outcome === 'not found' ? 'all records are unchanged' : `${type.name} ${String(key)} is unchanged`
    say(action === 'read' ? '' : `  Nothing changed: ${untouched}.`)
    return
  }
  for (const change of changes) for (const line of changeLines(change)) say(`  ${line}`)
  say(pc.dim('  This ran on a copy. The data itself is unchanged.'))
}

function changeLines({ type, key, before, after }: RecordChange): string[] {
  if (after === undefined) return [`${pc.red('deleted')}  ${type} ${String(key)}`]
  const names = [...new Set([...Object.keys(before ?? {}), ...Object.keys(after)])]
  const changed = names.filter((name) => jsonText(before?.[name]) !== jsonText(after[name]))
  const head = before === undefined ? `${pc.green('created')}  ${type} ${String(key)}` : `${pc.yellow('changed')}  ${type} ${String(key)}`
  return [
    head,
    ...changed.map(
      (name) =>
        `         ${name}: ${before === undefined ? '' : `${cell(before[name]) || 'missing'} -> `}${cell(after[name]) || 'missing'}`,
    ),
  ]
}

/** The command `try`: its arguments, options and help. */
export function tryDeclaration(end: End): Command {
  return command('try', 'Runs an action as a person, on a copy of the data. Shows the verdict and what changed.')
    .argument('<action>', 'read, create, update or delete; has (a privilege) or call (a routine)')
    .argument('<type>', 'the record type; the privilege or routine')
    .argument('[key]', 'the key of the record (none for create)')
    .addOption(onePerson())
    .addOption(settings('a value to send; may be repeated'))
    .addOption(within())
    .addOption(without())
    .addOption(log())
    .addOption(live())
    .addOption(watching())
    .addOption(format(['text', 'json']))
    .addHelpText(
      'after',
      `
Examples:
  pachter try update plot p-01 --for tomasz --set planting=leeks
  pachter try create entry --for ines --set plotId=p-01 --set audience=site --set text="First frost"

Exit status: 0 if it was allowed, 1 if not.`,
    )
    .action(async (action, type, key, options) => {
      if (options.watch) return watchAnswer(options)
      end((await tryCommand(action, type, key, options)) ? 0 : 1)
    })
}
