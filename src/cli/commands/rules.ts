import pc from 'picocolors'
import { describe, describeTerm, type TermNode } from '../../condition/index.js'
import { ACTIONS, type Model, type TypeModel, typeModel } from '../../rulebook/index.js'
import { load } from '../load.js'
import { say } from '../output.js'
import type { CommonOptions } from '../session.js'
import { printable } from '../table.js'

/** What `pachter rules` takes besides its argument. */
export interface RulesOptions extends CommonOptions {
  readonly format: 'text' | 'markdown' | 'json'
}

/** `pachter rules [type]`: the rulebook read back, from the same data that decides. */
export async function rulesCommand(typeName: string | undefined, options: RulesOptions): Promise<void> {
  const { model, book } = await load(options.config)
  const types = typeName === undefined ? Object.values(model.types) : [typeModel(model, typeName)]
  if (options.format === 'json') {
    const { gate, privileges } = model
    return say(JSON.stringify({ ...(typeName === undefined ? { gate, privileges } : {}), types: types.map(typeJson) }, null, 2))
  }
  const look = options.format === 'markdown' ? MARKDOWN : TEXT
  if (typeName === undefined) for (const line of wholeBook(model, look)) say(line)
  for (const type of types) for (const line of typeLines(type, look)) say(line)
  for (const warning of options.format === 'text' ? book.warnings : []) say(pc.yellow(`warning: ${warning}`))
}

interface Look {
  readonly heading: (text: string) => string
  readonly part: (text: string) => string
  readonly item: (text: string) => string
  readonly empty: (text: string) => string
}

const TEXT: Look = {
  heading: (text) => pc.bold(text),
  part: (text) => `  ${text}`,
  item: (text) => `    ${printable(text)}`,
  empty: (text) => pc.dim(text),
}
const MARKDOWN: Look = {
  heading: (text) => `## ${text}\n`,
  part: (text) => `\n**${text}**\n`,
  item: (text) => `- ${printable(text).replace(/[\\`*_<>[\]]/g, '\\$&')}`,
  empty: (text) => text,
}

function wholeBook({ gate, privileges }: Model, look: Look): string[] {
  const lines: string[] = []
  if (gate !== undefined) lines.push(look.heading('every record type'), look.part('only if'), look.item(describe(gate)), '')
  const names = Object.entries(privileges)
  if (names.length === 0) return lines
  return [
    ...lines,
    look.heading('privileges'),
    ...names.flatMap(([name, condition]) => [look.part(name), look.item(describe(condition))]),
    '',
  ]
}

function typeLines(type: TypeModel, look: Look): string[] {
  const { rules, standings } = type
  const wording = { record: `the ${type.name}` }
  const lines = [look.heading(type.name)]
  const add = (part: string, items: readonly string[]) => {
    if (items.length > 0) lines.push(look.part(part), ...items.map(look.item))
  }
  add(
    'who is who',
    Object.entries(standings).map(
      ([name, node]) => `${name}: ${node.kind === 'named' ? describe(node.of, wording) : describe(node, wording)}`,
    ),
  )
  for (const action of ACTIONS) {
    const clauses = rules?.may[action] ?? []
    if (clauses.length === 0) lines.push(look.part(`may ${action}`), look.item(look.empty('nobody')))
    add(
      `may ${action}`,
      clauses.map(({ title }) => title),
    )
    const gate = rules?.gates[action]
    add(`may ${action} only if`, gate === undefined ? [] : [describe(gate, wording)])
  }
  add(
    'is withheld',
    (rules?.vetoes ?? []).flatMap(({ actions, title, saying }) => [`${actions.join(', ')}: ${title}`, `  saying: ${saying}`]),
  )
  const stamped = (nodes: { readonly [field: string]: TermNode } = {}) =>
    Object.entries(nodes).map(([field, term]) => `${field}: ${describeTerm(term)}`)
  add('set when created', stamped(rules?.stamps.create))
  add('set when updated', stamped(rules?.stamps.update))
  return [...lines, '']
}

function typeJson({ name, key, standings, rules }: TypeModel): object {
  return { type: name, key, standings, ...(rules ?? { may: {} }) }
}
