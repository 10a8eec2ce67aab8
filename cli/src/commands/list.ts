import { type Command, Option } from 'commander'
import { jsonText, type Row } from 'pachter/internal/condition'
import { recordsOfNobody } from 'pachter/internal/review'
import { allOf, fieldOf, isKeyField, keyOf, type TypeModel, typeModel } from 'pachter/internal/rulebook'
import { FILTER_OPERATORS } from 'pachter/internal/store'
import pc from 'picocolors'
import { UsageError } from '../errors.js'
import { collect, command, format, live, log, names, watching, wholeNumber, without, wrapped } from '../options.js'
import { say } from '../output.js'
import { type CliSession, type CommonOptions, openSession, type Person, storeFor } from '../session.js'
import { cell, columns, csv, FORMATS, type Format, outputWidth, shortened } from '../table.js'
import { readWhereText } from '../values.js'
import { watchAnswer } from '../watch.js'

interface ListCommandOptions extends CommonOptions {
  readonly for: readonly string[]
  readonly fields?: readonly string[]
  readonly where: readonly string[]
  readonly sort?: readonly string[]
  readonly limit?: number
  readonly differences?: boolean
  readonly standing: readonly string[]
  /** The name of a standing, or true for all of them. */
  readonly withoutStanding?: string | true
  readonly format: Format
}

/** `pachter list <type> --for <person>`: the list of a person, or of several people side by side. */
async function listCommand(typeName: string, options: ListCommandOptions): Promise<void> {
  const session = await openSession(options, typeName)
  const type = typeModel(session.loaded.model, typeName)
  const people = [...new Set(options.for)].map((name) => session.person(name))
  if (options.withoutStanding !== undefined && people.length === 0) return nobodysList(session, type, options.withoutStanding, options)
  if (people.length === 0) throw new UsageError('name a person with --for. Run pachter people to see all people.')
  for (const name of options.fields ?? []) fieldOf(type, name)
  const wheres = options.where.map((text) => readWhereText(type, text))
  const query = {
    ...(wheres.length > 0 ? { where: (record: unknown) => allOf(...wheres.map((where) => where(record))) } : {}),
    ...(options.sort ? { sort: options.sort } : {}),
    ...(options.limit === undefined ? {} : { limit: options.limit }),
  }
  const having = havingOf(type, options)
  const store = session.store()
  const lists: Row[][] = []
  for (const person of people) lists.push((await storeFor(store, person).list(typeName, { ...query, ...having } as never)) as Row[])
  const total = session.records[typeName]?.length ?? 0
  if (people.length === 1 && options.differences === true) throw new UsageError('--differences needs several people: repeat --for')
  if (people.length === 1)
    return oneList(type, people[0] as Person, lists[0] as Row[], total, options, hiddenFields(session, type, people[0] as Person))
  const { limit: _limit, ...unlimited } = query as { limit?: number }
  const everything = (await storeFor(store, session.person('system')).list(typeName, unlimited)) as Row[]
  const hidden = people.map((person) => hiddenFields(session, type, person))
  const names = options.fields ?? Object.keys(type.fields)
  const columns = people.map((person, at) => ({
    name: person.name,
    rows: lists[at] as Row[],
    hidden: (row: Row) => names.filter((name) => hidden[at]?.(row, name)),
  }))
  return sideBySide(type, columns, everything, total, options)
}

/** The standings that the people of the lists need to have, and not to have. */
function havingOf(type: TypeModel, { standing, withoutStanding }: ListCommandOptions): object {
  const none = withoutStanding === true ? Object.keys(type.standings) : withoutStanding
  return { ...(standing.length === 0 ? {} : { standing }), ...(none === undefined ? {} : { withoutStanding: none }) }
}

/** The records on which nobody has a standing, whatever their claims are. */
function nobodysList(session: CliSession, type: TypeModel, wanted: string | true, options: ListCommandOptions): void {
  if (options.standing.length > 0) throw new UsageError('--standing needs a person: name one with --for')
  if (Object.keys(type.standings).length === 0) throw new UsageError(`${type.name} has no standings`)
  for (const name of options.fields ?? []) fieldOf(type, name)
  const standing = wanted === true ? undefined : wanted
  const now = (session.now ?? new Date()).getTime()
  const rows = recordsOfNobody(session.loaded, type.name, session.records as never, { standing, now })
  const names = standing ?? Object.keys(type.standings).join(', ')
  const total = session.records[type.name]?.length ?? 0
  const { left } = printRows(type, rows, options, () => false)
  if (options.format !== 'table') return
  say(`Nobody can be ${names} of ${rows.length} of ${total} ${type.name} records.`)
  sayLeft(left)
}

/** One of several people whose lists are compared. */
interface Column {
  readonly name: string
  readonly rows: readonly Row[]
  /** The requested fields of a visible record that are hidden from the person. */
  readonly hidden: (row: Row) => readonly string[]
}

/** Tells hidden fields from missing ones. */
function hiddenFields(session: CliSession, type: TypeModel, person: Person): (row: Row, field: string) => boolean {
  if (person.claims === undefined) return () => false
  const view = session.viewpoint(person)
  const stored = session.records[type.name] as readonly Row[]
  const visibleOf = new Map(stored.map((row) => [keyOf(type, row), view.verdict('read', type.name, row).fields]))
  return (row, field) => {
    const visible = visibleOf.get(keyOf(type, row))
    return visible !== undefined && !isKeyField(type, field) && !visible.includes(field)
  }
}

function oneList(
  type: TypeModel,
  person: Person,
  rows: readonly Row[],
  total: number,
  options: ListCommandOptions,
  isHidden: (row: Row, field: string) => boolean,
): void {
  const { never, left } = printRows(type, rows, options, isHidden)
  if (options.format !== 'table') return
  if (never.length > 0) say(`Fields hidden from ${person.name} in all of these: ${never.join(', ')}.`)
  say(`${person.name} sees ${rows.length} of ${total} ${type.name} records${narrowed(options)}.`)
  sayLeft(left)
}

function sayLeft(left: readonly string[]): void {
  if (left.length > 0) say(pc.dim(`Fields without room: ${left.join(', ')}. Choose fields with --fields.`))
}

/** Prints records. Returns the fields that are hidden in all of them, and those for which there was no room. */
function printRows(type: TypeModel, rows: readonly Row[], options: ListCommandOptions, isHidden: (row: Row, field: string) => boolean) {
  const wanted = options.fields ? [...type.keys, ...options.fields.filter((name) => !isKeyField(type, name))] : Object.keys(type.fields)
  const never = wanted.filter((name) => rows.length > 0 && rows.every((row) => isHidden(row, name)))
  const seen = wanted.filter((name) => !never.includes(name))
  const shown = options.fields ? seen : fitting(seen, rows)
  const picked = () => rows.map((row) => pick(row, wanted))
  if (options.format === 'json') say(jsonText(picked(), 2))
  const values = (names: readonly string[]) => rows.map((row) => names.map((name) => row[name]))
  if (options.format === 'csv') say(csv(wanted, values(wanted)))
  if (options.format === 'table' && rows.length > 0) {
    const written = (row: Row, name: string) => (isHidden(row, name) ? pc.dim('hidden') : shortened(cell(row[name]), WIDEST))
    const lines = rows.map((row) => shown.map((name) => written(row, name)))
    say(columns(shown, lines, numeric(type, shown)))
    say()
  }
  return { never, left: seen.filter((name) => !shown.includes(name)) }
}

const WIDEST = 36
const SEES = '●'
const SEES_PART = '◐'

/**
 * Lists of several people: a row for each record that any of them sees, in the order of the full list, with the values that any of them
 * sees.
 */
function sideBySide(
  type: TypeModel,
  people: readonly Column[],
  everything: readonly Row[],
  total: number,
  options: ListCommandOptions,
): void {
  const seen = new Map<unknown, { row: Row; by: Map<string, readonly string[]> }>()
  for (const { name, rows, hidden } of people) {
    for (const row of rows) {
      const found = seen.get(keyOf(type, row))
      const by = found?.by ?? new Map<string, readonly string[]>()
      seen.set(keyOf(type, row), { row: { ...row, ...found?.row }, by: by.set(name, hidden(row)) })
    }
  }
  const all = everything.flatMap((row) => seen.get(keyOf(type, row)) ?? [])
  const names = people.map(({ name }) => name)
  const order = options.differences === true ? all.filter(({ by }) => differ(names, by)) : all
  const fields = [...type.keys, ...(options.fields ?? labels(type)).filter((name) => !isKeyField(type, name))]
  if (options.format === 'json') {
    return say(
      JSON.stringify(
        order.map(({ row, by }) => {
          const part = [...by].filter(([, hidden]) => hidden.length > 0)
          const hidden = part.length > 0 ? { hidden: Object.fromEntries(part) } : {}
          return { ...pick(row, fields), seenBy: names.filter((name) => by.has(name)), ...hidden }
        }),
        null,
        2,
      ),
    )
  }
  if (options.format === 'csv') {
    return say(
      csv(
        [...fields, ...names],
        order.map(({ row, by }) => [
          ...fields.map((name) => row[name]),
          ...names.map((name) => mark(by.get(name), ['sees', 'sees part', ''])),
        ]),
      ),
    )
  }
  const body = order.map(({ row, by }) => [
    ...fields.map((name) => shortened(cell(row[name]), 24)),
    ...names.map((name) => mark(by.get(name), [pc.green(SEES), pc.yellow(SEES_PART), pc.dim('·')])),
  ])
  const counts = names.map((name) => String(all.filter(({ by }) => by.has(name)).length))
  const totals = ['sees', ...fields.slice(1).map(() => ''), ...counts].map((text) => pc.bold(text))
  say(columns([...fields, ...names], [...body, [], totals], numeric(type, fields)))
  say()
  const part = order.some(({ by }) => [...by.values()].some((hidden) => hidden.length > 0))
  const legend = `${pc.green(SEES)} read   ${part ? `${pc.yellow(SEES_PART)} read some ${options.fields ? 'of these fields' : 'fields'}   ` : ''}· nothing`
  say(`${legend}   ${all.length} of ${total} ${type.name} records are seen by at least one of them${narrowed(options)}.`)
  if (options.differences !== true) return
  say(`${order.length} of them differ. The other ${all.length - order.length} are the same for all, and not shown.`)
  const compared = names.filter((name) => name !== 'system')
  const alike = order.some(({ by }) => compared.length > 1 && compared.every((name) => (by.get(name)?.length ?? 0) > 0))
  if (alike) say(pc.dim(`If several people see a part of a record, their fields may differ: see pachter matrix ${type.name} --fields.`))
}

/**
 * Whether people see a record differently, or different fields of it. The system sees everything, so it counts only next to a single
 * person.
 */
function differ(names: readonly string[], by: ReadonlyMap<string, readonly string[]>): boolean {
  const people = names.filter((name) => name !== 'system')
  return new Set((people.length > 1 ? people : names).map((name) => JSON.stringify(by.get(name)))).size > 1
}

/** The symbol for a record that a person sees completely, in part, or not at all. */
function mark(hidden: readonly string[] | undefined, [whole, part, none]: readonly [string, string, string]): string {
  if (hidden === undefined) return none
  return hidden.length === 0 ? whole : part
}

function narrowed(options: ListCommandOptions): string {
  const parts = [
    ...options.where.map((where) => `where ${where}`),
    ...(options.without ?? []).map((title) => `without the rule "${title}"`),
    ...(options.limit === undefined ? [] : [`at most ${options.limit}`]),
  ]
  return parts.length === 0 ? '' : ` (${parts.join(', ')})`
}

/** As many fields as fit the terminal. */
function fitting(fields: readonly string[], rows: readonly Row[]): string[] {
  let left = outputWidth()
  const shown: string[] = []
  for (const name of fields) {
    const width = Math.max(name.length, ...rows.map((row) => Math.min(WIDEST, cell(row[name]).length))) + 2
    if (width > left && shown.length > 0) continue
    left -= width
    shown.push(name)
  }
  return shown
}

/** The first fields with a single value: enough to recognise a record. */
function labels(type: TypeModel): string[] {
  return Object.entries(type.fields)
    .filter(([name, field]) => !isKeyField(type, name) && !field.list && field.type !== 'group' && field.type !== 'other')
    .slice(0, 3)
    .map(([name]) => name)
}

function numeric(type: TypeModel, fields: readonly string[]): number[] {
  return fields.flatMap((name, at) => (['integer', 'number'].includes(type.fields[name]?.type ?? '') ? [at] : []))
}

function pick(row: Row, fields: readonly string[]): Row {
  return Object.fromEntries(fields.filter((name) => row[name] !== undefined).map((name) => [name, row[name]]))
}

/** The command `list`: its arguments, options and help. */
export function listDeclaration(): Command {
  return command('list', 'Lists the records of a type as a person sees them, or as several people do, side by side.')
    .argument('<type>', 'the record type')
    .addOption(new Option('--for <person>', 'the person; may be repeated').argParser(collect).default([], 'nobody'))
    .option('--fields <fields>', 'only these fields, separated by commas', names)
    .addOption(
      new Option('--where <condition>', 'a filter: field=value, or "field operator value"; may be repeated')
        .argParser(collect)
        .default([], 'all'),
    )
    .option('--sort <fields>', 'the fields to sort by, as in --sort=-number,siteId (- for descending)', names)
    .option('--limit <count>', 'the most records to show', wholeNumber)
    .addOption(
      new Option('--standing <standing>', 'only records on which the person has this standing; repeat it for one of several')
        .argParser(collect)
        .default([], 'all'),
    )
    .option(
      '--without-standing [standing]',
      'only records on which the person has not this standing, or none; without --for: on which nobody at all can have it',
    )
    .option('--differences', 'with several people: only records that they see differently')
    .addOption(without())
    .addOption(log())
    .addOption(live())
    .addOption(watching())
    .addOption(format(FORMATS))
    .addHelpText(
      'after',
      `
${wrapped(`Operators: ${FILTER_OPERATORS.join(', ')}. Separate the values of a list by commas.`)}

Examples:
  pachter list plot --for bram --where state=let --sort=-rentDue
  pachter list plot --for ines --for bram --differences
  pachter list plot --for ines --standing holder       the records of her own
  pachter list plot --for ines --without-standing      the rest that she sees
  pachter list plot --without-standing holder          the records that nobody can hold
  pachter list entry --for ines --for visitor --where "writtenAt isAfter 2026-03-05" --fields audience,text`,
    )
    .action((type, options) => (options.watch ? watchAnswer(options) : listCommand(type, options)))
}
