import { type Command, Option } from 'commander'
import { type Access, type AccessMatrix, accessMatrix, accessReport } from 'pachter/internal/review'
import { type Key, type TypeModel, typeModel } from 'pachter/internal/rulebook'
import { grantsIn } from 'pachter/internal/viewpoint'
import pc from 'picocolors'
import { UsageError } from '../errors.js'
import { type Marks, marksFor } from '../marks.js'
import { collect, command, format, live, watching, without } from '../options.js'
import { say } from '../output.js'
import { fieldsSaid, peopleOf } from '../people.js'
import { type CliSession, type CommonOptions, openSession } from '../session.js'
import { cell, columns, csv, outputWidth, shortened, wrapped } from '../table.js'
import { watchAnswer } from '../watch.js'
import { havingGrant } from './grants.js'

/** The output formats of a matrix. */
export const MATRIX_FORMATS = ['table', 'json', 'csv', 'markdown', 'html'] as const

interface MatrixCommandOptions extends CommonOptions {
  readonly for: readonly string[]
  readonly action: readonly string[]
  readonly standing: readonly string[]
  readonly changes?: boolean
  readonly fields?: boolean
  readonly clauses?: boolean
  readonly all?: boolean
  readonly format: (typeof MATRIX_FORMATS)[number]
}

/** `pachter matrix [type]`: who may do what to which record; without a type, the number of records. */
async function matrixCommand(typeName: string | undefined, options: MatrixCommandOptions): Promise<void> {
  const session = await openSession(options, typeName)
  if (options.format === 'html') return report(session, typeName, options)
  if (typeName === undefined) return overview(session, options)
  const whole = matrixOf(session, typeName, options)
  const rows = chosen(session, whole, options)
  if (options.format === 'json') return say(JSON.stringify(asJson(whole, rows), null, 2))
  if (options.format === 'csv') return say(csv(['person', typeName, 'action', 'clauses', 'fields'], asLines(whole, rows)))
  if (options.format === 'markdown') return say(asMarkdown(whole, rows))
  if (options.fields === true || options.clauses === true) return detailsOf(typeModel(session.loaded.model, typeName), whole, rows, options)
  asTable(whole, rows, options.all === true)
}

function matrixOf(session: CliSession, type: string, options: Pick<MatrixCommandOptions, 'for' | 'action' | 'changes'>): AccessMatrix {
  const { actions } = typeModel(session.loaded.model, type)
  const wanted = options.action.length > 0 ? options.action : actions
  return accessMatrix(session.loaded.book, type, {
    people: peopleOf(session, options.for),
    records: session.records,
    actions: options.changes === true ? wanted.filter((action) => action !== 'read') : wanted,
    ...(session.now === undefined ? {} : { now: session.now }),
  })
}

/** The selected records: all, or those where a person has one of the standings; and only actions that change something. */
function chosen(session: CliSession, matrix: AccessMatrix, { standing, changes }: MatrixCommandOptions): readonly Key[] {
  const { standings } = typeModel(session.loaded.model, matrix.type)
  for (const name of standing)
    if (!Object.hasOwn(standings, name))
      throw new UsageError(`--standing ${name}: ${matrix.type} has ${Object.keys(standings).join(', ') || 'no standings'}`)
  const stands = (person: string, key: Key) => matrix.standings(person, key).some((name) => standing.includes(name))
  // Person by person, so that each is specialised once.
  const reached = standing.length === 0 ? undefined : new Set(matrix.people.flatMap((who) => matrix.keys.filter((key) => stands(who, key))))
  const keys = reached === undefined ? matrix.keys : matrix.keys.filter((key) => reached.has(key))
  return changes === true ? keys.filter((key) => matrix.actions.some((action) => matrix.countOf(key, action) > 0)) : keys
}

function asLines(matrix: AccessMatrix, keys: readonly Key[]): unknown[][] {
  return matrix.people.flatMap((person) =>
    keys.flatMap((key) =>
      matrix
        .access(person, key)
        .map(({ action, clauses, fields }) => [person, key, action, clauses.join(' | '), fields === undefined ? 'all' : fields.join(' ')]),
    ),
  )
}

function asJson(matrix: AccessMatrix, keys: readonly Key[]) {
  const people = matrix.people.map((name) => ({
    name,
    may: Object.fromEntries(matrix.actions.map((action) => [action, matrix.count(name, action)])),
    create: matrix.creates(name),
    records: keys.flatMap((key) => {
      const access = matrix.access(name, key)
      return access.length === 0 ? [] : [{ key, standings: matrix.standings(name, key), access }]
    }),
  }))
  return { type: matrix.type, actions: matrix.actions, records: keys, people, unreached: matrix.unreached }
}

/** The most cells that a page can show at once. */
const MOST_CELLS = 200_000

/** The HTML page of one record type, or of all of them. */
function report(session: CliSession, typeName: string | undefined, options: MatrixCommandOptions): void {
  if (options.standing.length > 0 || options.fields === true || options.clauses === true)
    throw new UsageError('--format html cannot be used with --standing, --fields or --clauses: the page shows them for each cell')
  const matrices = typeName === undefined ? everyMatrix(session, options) : [matrixOf(session, typeName, options)]
  const cells = matrices.reduce((sum, { people, keys }) => sum + people.length * keys.length, 0)
  if (cells > MOST_CELLS)
    throw new UsageError(
      `--format html: ${cells.toLocaleString('en')} cells are too many for a page. Name a record type, or people with --for.`,
    )
  say(accessReport(matrices, { now: session.now ?? new Date() }).trimEnd())
}

/** The matrices of all record types that have any of the actions. */
function everyMatrix(session: CliSession, options: MatrixCommandOptions): AccessMatrix[] {
  const matrices = Object.keys(session.loaded.model.types).flatMap((type) => {
    const { actions } = typeModel(session.loaded.model, type)
    const wanted = options.action.filter((action) => actions.includes(action))
    return options.action.length > 0 && wanted.length === 0 ? [] : [matrixOf(session, type, { ...options, action: wanted })]
  })
  if (matrices.length === 0) throw new UsageError(`--action ${options.action.join(', ')}: no record type has this action`)
  return matrices
}

/** Records with the same pattern share one line in a table that would be too long otherwise. */
interface Line {
  readonly keys: readonly Key[]
  readonly cells: readonly string[]
}

const MOST_LINES = 60

function lines(matrix: AccessMatrix, keys: readonly Key[], marks: Marks, unfolded: boolean): Line[] {
  const each = keys.map((key) => ({ keys: [key], cells: matrix.people.map((person) => marks.cell(matrix, person, key)) }))
  if (unfolded || each.length <= MOST_LINES) return each
  const alike = new Map<string, { keys: Key[]; cells: string[] }>()
  for (const { keys, cells } of each) {
    const pattern = cells.join('\n')
    const there = alike.get(pattern)
    if (there === undefined) alike.set(pattern, { keys: [...keys], cells })
    else there.keys.push(...keys)
  }
  return [...alike.values()]
}

function asTable(matrix: AccessMatrix, keys: readonly Key[], unfolded: boolean): void {
  const marks = marksFor(matrix.actions)
  const all = lines(matrix, keys, marks, unfolded)
  const shown = unfolded ? all : all.slice(0, MOST_LINES)
  const width = keyWidth(shown.map(({ keys: [first] }) => cell(first)))
  const label = ({ keys: [first, ...others] }: Line) => `${shortened(cell(first), width)}${others.length > 0 ? ` +${others.length}` : ''}`
  const reads = (line: Line) => String(matrix.people.filter((_, at) => line.cells[at] !== '').length)
  const total = (person: string, action: string) => String(keys.filter((key) => matrix.allows(person, key, action)).length)
  const labels = [matrix.type, ...shown.map(label), ...matrix.actions.map((action) => `${action}: ${marks.of(action)}`)]
  for (const block of blocks(matrix.people, marks.width, widest(labels) + 'people'.length + 2)) {
    const rows = shown.map((line) => [
      label(line),
      ...block.map((at) => (line.cells[at] ? marks.coloured(line.cells[at] as string) : pc.dim('·'))),
      pc.dim(reads(line)),
    ])
    const totals = matrix.actions.map((action) => [
      pc.dim(`${action}: ${marks.of(action)}`),
      ...block.map((at) => pc.dim(total(matrix.people[at] as string, action))),
      '',
    ])
    const creates = [
      'create',
      ...block.map((at) => ({ always: '+', never: '·', depending: '?' })[matrix.creates(matrix.people[at] as string)]),
      '',
    ]
    say(
      columns(
        [matrix.type, ...block.map((at) => shortened(matrix.people[at] as string, 12)), pc.dim('people')],
        [...rows, [''], ...totals, creates.map((text) => pc.dim(text))],
      ),
    )
    say()
  }
  if (all.length > shown.length) say(`${all.length - shown.length} more patterns of access are not shown. Use --all to see every record.`)
  const folded = keys.length - all.length
  if (folded > 0) say(`(+n): n more records with the same access, ${folded} in all. Use --all to see each.`)
  say(pc.dim(marks.legend))
  if (matrix.unreached.length > 0) {
    const some = matrix.unreached.slice(0, 12).map(cell).join(', ')
    say(
      `No person has a standing on ${matrix.unreached.length} of ${matrix.keys.length} records: ${some}${matrix.unreached.length > 12 ? ', ...' : ''}.`,
    )
  }
}

/** The width in which keys can be told apart: long ones often begin alike. */
function keyWidth(keys: readonly string[]): number {
  const isApart = (width: number) => new Set(keys.map((key) => shortened(key, width))).size === new Set(keys).size
  return [20, 30, 40].find(isApart) ?? 60
}

const widest = (texts: readonly string[]) => texts.reduce((most, { length }) => Math.max(most, length), 0)

/** The people, split into as many tables as the width requires, with room for the columns on the left. */
function blocks(people: readonly string[], least: number, beside: number): number[][] {
  const room = outputWidth() - beside
  const found: number[][] = [[]]
  let used = 0
  for (const [at, person] of people.entries()) {
    const width = Math.max(least, Math.min(person.length, 12)) + 2
    if (used + width > room && (found.at(-1) as number[]).length > 0) {
      found.push([])
      used = 0
    }
    ;(found.at(-1) as number[]).push(at)
    used += width
  }
  return found
}

function asMarkdown(matrix: AccessMatrix, keys: readonly Key[]): string {
  const marks = marksFor(matrix.actions)
  const safe = (text: string) => text.replaceAll('|', '\\|')
  const row = (cells: readonly string[]) => `| ${cells.map(safe).join(' | ')} |`
  const body = keys.map((key) => row([cell(key), ...matrix.people.map((person) => marks.cell(matrix, person, key))]))
  return [row([matrix.type, ...matrix.people]), `|${' --- |'.repeat(matrix.people.length + 1)}`, ...body, '', marks.legend].join('\n')
}

/** What each person may do, with its fields or clauses, record by record where they differ. */
function detailsOf(type: TypeModel, matrix: AccessMatrix, keys: readonly Key[], { fields, clauses }: MatrixCommandOptions): void {
  const details: { readonly [heading: string]: (access: Access) => string } = {
    ...(fields === true ? { fields: (access) => fieldsSaid(type, access.fields) } : {}),
    ...(clauses === true ? { by: (access) => access.clauses.join('\n') } : {}),
  }
  const rows: string[][] = []
  for (const person of matrix.people)
    for (const action of matrix.actions) {
      const alike = new Map<string, { readonly told: readonly string[]; readonly keys: Key[] }>()
      for (const key of keys) {
        const access = matrix.access(person, key).find((one) => one.action === action)
        if (access === undefined) continue
        const told = Object.values(details).map((tell) => tell(access))
        const there = alike.get(told.join('\0'))
        if (there === undefined) alike.set(told.join('\0'), { told, keys: [key] })
        else there.keys.push(key)
      }
      for (const { told, keys: of } of alike.values()) rows.push([person, action, someOf(of, keys.length), ...told])
    }
  say(wrapped(['person', 'may', matrix.type, ...Object.keys(details)], rows))
}

function someOf(keys: readonly Key[], all: number): string {
  if (keys.length === all) return `all ${all}`
  return keys.length <= 4 ? keys.map(cell).join(' ') : `${keys.length}: ${keys.slice(0, 3).map(cell).join(' ')} ...`
}

/** For each record type and action, the number of records for each person. */
function overview(session: CliSession, options: MatrixCommandOptions): void {
  if (options.standing.length > 0 || options.fields === true || options.clauses === true)
    throw new UsageError('--standing, --fields and --clauses need a record type: pachter matrix <type>')
  const matrices = everyMatrix(session, options)
  const counted = matrices.flatMap((matrix) =>
    matrix.actions.map((action) => ({ matrix, action, counts: matrix.people.map((person) => matrix.count(person, action)) })),
  )
  const grants = options.action.length > 0 ? [] : grantRows(session, matrices[0]?.people ?? [])
  if (options.format === 'json')
    return say(
      JSON.stringify(
        [
          ...counted.map(({ matrix, action, counts }) => ({
            type: matrix.type,
            action,
            of: matrix.keys.length,
            people: Object.fromEntries(matrix.people.map((person, at) => [person, counts[at]])),
          })),
          ...grants.map(({ kind, name, has }) => ({ [kind]: name, people: has })),
        ],
        null,
        2,
      ),
    )
  const people = matrices[0]?.people ?? []
  const headings = ['type', 'action', ...people, 'of']
  const plain = counted.map(({ matrix, action, counts }) => [matrix.type, action, ...counts.map(String), String(matrix.keys.length)])
  const granted = grants.map(({ kind, name, has }) => [kind, name, ...people.map((person) => (has.includes(person) ? 'yes' : '')), ''])
  if (options.format === 'csv') return say(csv(headings, [...plain, ...granted]))
  if (options.format === 'markdown')
    return say([headings, headings.map(() => '---'), ...plain, ...granted].map((row) => `| ${row.join(' | ')} |`).join('\n'))
  const marks = granted.map(([kind = '', name = '', ...has]) => [
    kind,
    name,
    ...has.map((one) => (one === 'yes' ? pc.bold('yes') : pc.dim('·'))).slice(0, -1),
    '',
  ])
  const rows = plain.map(([type = '', action = '', ...counts], at) => {
    const of = counts.at(-1) as string
    const told = counts.slice(0, -1).map((count) => (count === '0' ? pc.dim('·') : count === of ? pc.bold(count) : count))
    return [plain[at - 1]?.[0] === type ? '' : type, action, ...told, pc.dim(of)]
  })
  const beside = [0, 1].map((at) => 2 + widest([...plain, ...granted].map((row) => row[at] as string))).reduce((sum, one) => sum + one, 0)
  for (const block of blocks(people, 3, beside + 4)) {
    const pick = (row: readonly string[]) => [
      row[0] as string,
      row[1] as string,
      ...block.map((at) => row[at + 2] as string),
      row.at(-1) as string,
    ]
    say(columns(pick(headings), [...rows, ...marks].map(pick), block.map((_, at) => at + 2).concat(block.length + 2)))
    say()
  }
  say(pc.dim('The number of records of each type. Run pachter matrix <type> to see which.'))
  if (grants.length > 0) say(pc.dim('For privileges and routines, run pachter why has <privilege> --for <person>, or why call <routine>.'))
}

/** Who has which privilege, and who may call which routine. */
function grantRows(session: CliSession, people: readonly string[]) {
  return grantsIn(session.loaded.model).map(({ kind, name }) => ({
    kind,
    name,
    has: havingGrant(session, { kind, name }, people),
  }))
}

/** The command `matrix`: its arguments, options and help. */
export function matrixDeclaration(): Command {
  return command('matrix', 'Shows who may do what to which record. Without a type: to how many of each type.')
    .argument('[type]', 'the record type (default: all)')
    .addOption(new Option('--for <person>', 'only this person; may be repeated').argParser(collect).default([], 'everyone'))
    .addOption(new Option('--action <action>', 'only this action; may be repeated').argParser(collect).default([], 'all'))
    .addOption(
      new Option('--standing <name>', 'only records on which one of them has this standing; may be repeated')
        .argParser(collect)
        .default([], 'any'),
    )
    .option('--changes', 'only what can be changed, and by which people')
    .option('--fields', 'the fields that each person sees and changes')
    .option('--clauses', 'the clauses that allow it')
    .option('--all', 'one line for every record, however many there are')
    .addOption(without())
    .addOption(live())
    .addOption(watching())
    .addOption(format(MATRIX_FORMATS))
    .addHelpText(
      'after',
      `
Examples:
  pachter matrix
  pachter matrix plot
  pachter matrix entry --for ines --for bram --standing author
  pachter matrix plot --changes --format markdown
  pachter matrix --format html > matrix.html           all of it as a page`,
    )
    .action((type, options) => (options.watch ? watchAnswer(options) : matrixCommand(type, options)))
}
