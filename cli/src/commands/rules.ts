import type { Command } from 'commander'
import { allOfNode, describe, describeTerm, NOW, type TermNode, type Wording } from 'pachter/internal/condition'
import { type ClauseNode, type GateWordsNode, type Model, modelToJson, type TypeModel, typeModel } from 'pachter/internal/rulebook'
import pc from 'picocolors'
import { load } from '../load.js'
import { command, format } from '../options.js'
import { say } from '../output.js'
import type { CommonOptions } from '../session.js'
import { hanging, printable, wrapped } from '../table.js'

/** The options of `pachter rules`. */
export interface RulesOptions extends CommonOptions {
  readonly format: 'text' | 'markdown' | 'json'
}

/** `pachter rules [type]`: the rulebook in words, from the same data that decides. */
async function rulesCommand(typeName: string | undefined, options: RulesOptions): Promise<void> {
  const { model, warnings } = await load(options.config)
  const types = typeName === undefined ? Object.values(model.types) : [typeModel(model, typeName)]
  if (options.format === 'json') {
    const json = modelToJson(model)
    const some = typeName === undefined ? json : { ...json, types: { [typeName]: json.types[typeName] } }
    return say(JSON.stringify(some, null, 2))
  }
  const look = options.format === 'markdown' ? MARKDOWN : TEXT
  if (typeName === undefined) for (const line of wholeBook(model, look)) say(line)
  for (const type of types) for (const line of typeLines(type, look)) say(line)
  for (const warning of options.format === 'text' ? warnings : []) say(pc.yellow(`warning: ${warning}`))
}

interface Look {
  readonly heading: (text: string) => string
  readonly part: (text: string) => string
  readonly item: (text: string) => string
  readonly grid: (grid: Grid) => string[]
}

const TEXT: Look = {
  heading: (text) => pc.bold(text),
  part: (text) => `  ${text}`,
  item: (text) => {
    const lead = 4 + text.search(/\S|$/)
    return `${' '.repeat(lead)}${hanging(printable(text.trim()), lead + 2)}`
  },
  grid: ({ headings, rows }) =>
    wrapped(
      headings,
      rows.map((row) => row.map(printable)),
    )
      .split('\n')
      .map((line) => `  ${line}`.trimEnd()),
}
const MARKDOWN: Look = {
  heading: (text) => `## ${text}\n`,
  part: (text) => `\n**${text}**\n`,
  item: (text) => `${' '.repeat(text.search(/\S|$/))}- ${escaped(text.trim())}`,
  grid: ({ headings, rows }) => [
    '',
    ...[headings, headings.map(() => '---'), ...rows].map((row) => `| ${row.map(escaped).join(' | ')} |`),
    '',
  ],
}

/** Escapes text for Markdown. */
function escaped(text: string): string {
  return text === '---' ? text : printable(text).replace(/[\\`*_<>[\]|]/g, '\\$&')
}

function wholeBook({ gate, gateMessages, privileges, routines }: Model, look: Look): string[] {
  const lines: string[] = []
  if (gate !== undefined)
    lines.push(look.heading('every record type'), look.part('only if'), ...[describe(gate), ...wordsOf(gateMessages)].map(look.item), '')
  for (const [kind, grants] of Object.entries({ privileges, routines })) {
    const names = Object.entries(grants)
    if (names.length === 0) continue
    lines.push(look.heading(kind), ...names.flatMap(([name, condition]) => [look.part(name), look.item(describe(condition))]), '')
  }
  return lines
}

function typeLines(type: TypeModel, look: Look): string[] {
  const { rules, standings, removal } = type
  const wording = { record: `the ${type.name}` }
  const lines = [look.heading(type.name)]
  const add = (part: string, items: readonly string[]) => {
    if (items.length === 0) return
    if (look === TEXT && lines.length > 1 && lines.at(-1) !== '') lines.push('')
    lines.push(look.part(part), ...items.map(look.item))
  }
  add(
    'standings',
    Object.entries(standings).map(
      ([name, node]) => `${name}: ${node.kind === 'named' ? describe(node.of, wording) : describe(node, wording)}`,
    ),
  )
  lines.push('', ...look.grid(gridOf(type)), '')
  const nobody = type.actions.filter((action) => (rules?.may[action] ?? []).length === 0)
  if (nobody.length > 0)
    lines.push(look.part(`nobody may ${[nobody.slice(0, -1).join(', '), ...nobody.slice(-1)].filter((text) => text !== '').join(' or ')}`))
  for (const { text, actions, message } of gatesOf(type, wording)) {
    const all = actions.length === type.actions.length
    add(all ? 'anything only if' : `may ${actions.join(', ')} only if`, [text, ...message])
  }
  add(
    'vetoes',
    (rules?.vetoes ?? []).flatMap(({ actions, title, message }) => [`${actions.join(', ')}: ${title}`, `  message: ${message}`]),
  )
  const stamped = (nodes: { readonly [field: string]: TermNode } = {}) =>
    Object.entries(nodes).map(([field, term]) => `${field}: ${describeTerm(term)}`)
  add('set when created', stamped(rules?.stamps.create))
  add('set by the database', type.generated ?? [])
  add('set when updated', stamped(rules?.stamps.update))
  add('set when deleted, and the record is kept', stamped(removal === undefined ? {} : { [removal]: NOW, ...rules?.stamps.delete }))
  return [...lines, '']
}

/** The messages of gates for the people that they refuse. */
function wordsOf(message: readonly GateWordsNode[] = []): string[] {
  return message.map((words) => `  message: ${words.message}`)
}

/** The gates of a record type without duplicates, with their actions and messages. */
function gatesOf({ rules, actions }: TypeModel, wording: Wording) {
  const gates = new Map<string, { text: string; actions: string[]; message: readonly string[] }>()
  for (const action of actions) {
    const gate = rules?.gates[action]
    if (gate === undefined) continue
    const message = wordsOf(rules?.gateMessages?.[action])
    const text = describe(gate, wording)
    const same = [text, ...message].join('\n')
    gates.set(same, { text, message, actions: [...(gates.get(same)?.actions ?? []), action] })
  }
  return [...gates.values()]
}

/** Who may do what: a row for each group of people, a column for each action. */
interface Grid {
  readonly headings: readonly string[]
  readonly rows: readonly (readonly string[])[]
}

function gridOf({ name, rules, actions, fields }: TypeModel): Grid {
  const wording = { record: `the ${name}` }
  const rows = new Map<string, string[][]>()
  for (const [at, action] of actions.entries()) {
    for (const clause of rules?.may[action] ?? []) {
      const who = whoOf(clause, wording)
      const row = rows.get(who) ?? actions.map(() => [])
      row[at]?.push(cellOf(clause, wording, Object.keys(fields)))
      rows.set(who, row)
    }
  }
  return {
    headings: ['who', ...actions.map((action) => `may ${action}`)],
    rows: [...rows].map(([who, cells]) => [who, ...cells.map((texts) => texts.join('; or ') || '-')]),
  }
}

/** The title that the author gave the clause, or else its condition on the person. */
function whoOf({ title, who, provided, fields, afterwards, within }: ClauseNode, wording: Wording): string {
  const said = describe(who, wording)
  const isBare = provided.length === 0 && fields === undefined && afterwards === undefined && within === undefined
  return title === said || (!isBare && title.startsWith(said)) ? said : `${title}: ${said}`
}

/** What a clause allows, in few words. */
function cellOf(
  { provided, fields, limitedBy, overriding, afterwards, within }: ClauseNode,
  wording: Wording,
  all: readonly string[],
): string {
  const limits =
    fields === undefined
      ? []
      : [limitedBy === 'only' ? `only ${fields.join(', ')}` : `all but ${all.filter((field) => !fields.includes(field)).join(', ')}`]
  const parts = [
    ...limits,
    ...(provided.length === 0 ? [] : [`if ${describe(allOfNode(provided), wording)}`]),
    ...(overriding ? [`may set ${overriding.join(', ')}`] : []),
    ...(afterwards ? [`afterwards ${describe(afterwards, wording)}`] : []),
    ...(within ? [`within ${within.join(' or ')} only`] : []),
  ]
  return parts.length === 0 ? 'yes' : parts.join(', ')
}

/** The command `rules`: its arguments, options and help. */
export function rulesDeclaration(): Command {
  return command('rules', 'Reads the rulebook back in plain English: who may do what to which records.')
    .argument('[type]', 'the record type (default: all)')
    .addOption(format(['text', 'markdown', 'json']))
    .addHelpText(
      'after',
      `
Examples:
  pachter rules plot
  pachter rules --format markdown > rules.md`,
    )
    .action((type, options) => rulesCommand(type, options))
}
