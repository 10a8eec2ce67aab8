import type { Command } from 'commander'
import { type IdleRule, idleRules, type JudgedGuarantee, judgeGuarantees } from 'pachter/internal/prove'
import { typeModel } from 'pachter/internal/rulebook'
import type { Rulebook } from 'pachter/internal/viewpoint'
import pc from 'picocolors'
import { UsageError } from '../errors.js'
import { exampleLines } from '../examples.js'
import { load } from '../load.js'
import { command, type End, format, names } from '../options.js'
import { progress, say } from '../output.js'
import type { CommonOptions } from '../session.js'
import { printable } from '../table.js'
import { xmlText } from '../xml.js'

interface ProveOptions extends CommonOptions {
  readonly format: 'text' | 'json' | 'junit' | 'markdown'
  readonly only?: readonly string[]
}

const PARTS = ['guarantees', 'idle-rules']

/** What was found out. */
interface Findings {
  readonly guarantees: readonly JudgedGuarantee[]
  readonly idle: readonly IdleRule[]
  /** How many rules were looked at. */
  readonly looked: number
  readonly asks: (part: string) => boolean
}

/** `pachter prove`: judges guarantees for everyone, and finds rules that do nothing. Returns whether all is proved. */
async function proveCommand(options: ProveOptions): Promise<boolean> {
  const { book } = await load(options.config)
  const only = options.only ?? []
  const types = only.filter((name) => !PARTS.includes(name))
  for (const name of types) typeModel(book.model, name)
  const parts = only.filter((name) => PARTS.includes(name))
  const asks = (part: string) => parts.length === 0 || parts.includes(part)
  const found = findings(book, asks, types)
  switch (options.format) {
    case 'text':
      reportText(book, found)
      break
    case 'json':
      say(JSON.stringify(asJson(found), null, 2))
      break
    case 'junit':
      say(junit(book, found))
      break
    case 'markdown':
      reportMarkdown(book, found)
      break
  }
  return found.guarantees.every(({ judged }) => judged.outcome === 'proved')
}

function findings({ model }: Rulebook, asks: (part: string) => boolean, named: readonly string[]): Findings {
  const types = named.length === 0 ? Object.keys(model.types) : named
  const all = types.reduce((sum, name) => sum + (typeModel(model, name).guarantees?.length ?? 0), 0)
  const guarantees: JudgedGuarantee[] = []
  if (asks('guarantees'))
    for (const one of judgeGuarantees(model, types)) {
      guarantees.push(one)
      progress(guarantees.length, all)
    }
  const rules = asks('idle-rules') ? [...idleRules(model, types)] : []
  progress()
  return { guarantees, idle: rules.filter((one) => one !== undefined), looked: rules.length, asks }
}

const SIGNS = { proved: pc.green('✔'), refuted: pc.red('✘'), undecided: pc.yellow('?') } as const

function reportText(book: Rulebook, { guarantees, idle, looked, asks }: Findings): void {
  if (asks('guarantees')) {
    if (guarantees.length === 0) say('The rulebook has no guarantees. Add some: book.guarantees({ ... }), see docs/proofs.md.')
    for (const { type, guarantee, judged } of guarantees) {
      say(`${SIGNS[judged.outcome]} ${type}: ${printable(guarantee.title)}`)
      if (judged.outcome === 'undecided')
        say(pc.yellow(`    undecided${judged.field === undefined ? '' : `, for ${judged.field}`}: ${judged.because}`))
      if (judged.outcome !== 'refuted') continue
      for (const line of exampleLines(book, { type, action: guarantee.never, field: judged.field }, judged.example)) say(`    ${line}`)
    }
    if (guarantees.length > 0) {
      say()
      say(`${counted(guarantees)}, for every person and all records.`)
    }
  }
  if (!asks('idle-rules')) return
  say()
  if (idle.length === 0) say(`Of ${looked} rules, each makes a difference for someone.`)
  for (const rule of idle) say(`${pc.yellow('!')} ${rule.type}, ${rule.action}: ${idleText(rule)}`)
}

function counted(guarantees: readonly JudgedGuarantee[]): string {
  const count = (outcome: string) => guarantees.filter(({ judged }) => judged.outcome === outcome).length
  const parts = ['proved', 'refuted', 'undecided'].map((outcome) => `${count(outcome)} ${outcome}`)
  return parts.filter((part) => !part.startsWith('0 ')).join(', ')
}

function idleText({ what, title, why, by }: IdleRule): string {
  const named = `the ${what} "${printable(title)}"`
  if (why === 'undecided') return `whether ${named} makes a difference is undecided`
  if (why === 'never') return `${named} can never hold`
  if (by.length === 0) return `${named} refuses nothing that clauses allow`
  const others = by.map((one) => `"${printable(one)}"`)
  return `${named} makes no difference: ${others.join(', ')} ${by.length === 1 ? 'allows' : 'together allow'} all of it`
}

function asJson({ guarantees, idle, looked }: Findings): object {
  const told = guarantees.map(({ type, guarantee, judged }) => ({ type, title: guarantee.title, never: guarantee.never, ...judged }))
  return { guarantees: told, idleRules: idle, rulesLookedAt: looked }
}

/** The JUnit XML format: a case for each guarantee. */
function junit(book: Rulebook, { guarantees }: Findings): string {
  const open = guarantees.filter(({ judged }) => judged.outcome !== 'proved')
  const counts = { tests: guarantees.length, failures: open.length }
  const cases = guarantees.map(({ type, guarantee, judged }) => {
    const lines =
      judged.outcome === 'refuted'
        ? exampleLines(book, { type, action: guarantee.never, field: judged.field }, judged.example)
        : judged.outcome === 'undecided'
          ? [`undecided: ${judged.because}`]
          : []
    const failure = { name: 'failure', attributes: { message: printable(lines[0] ?? '') }, inside: lines.join('\n') }
    return {
      name: 'testcase',
      attributes: { name: printable(guarantee.title), classname: type },
      inside: lines.length === 0 ? [] : [failure],
    }
  })
  const suite = { name: 'testsuite', attributes: { name: 'guarantees', ...counts, errors: 0, skipped: 0 }, inside: cases }
  return xmlText({ name: 'testsuites', attributes: { name: 'pachter prove', ...counts }, inside: [suite] })
}

function reportMarkdown(book: Rulebook, { guarantees, idle, asks }: Findings): void {
  if (asks('guarantees')) {
    say('| | record type | guarantee |')
    say('| --- | --- | --- |')
    for (const { type, guarantee, judged } of guarantees)
      say(`| ${judged.outcome} | ${type} | ${printable(guarantee.title).replaceAll('|', '\\|')} |`)
  }
  for (const { type, guarantee, judged } of guarantees) {
    if (judged.outcome !== 'refuted') continue
    say(`\n**${type}: ${printable(guarantee.title)}** is refuted:\n\n\`\`\`text`)
    for (const line of exampleLines(book, { type, action: guarantee.never, field: judged.field }, judged.example)) say(line)
    say('```')
  }
  for (const rule of idle) say(`\n- ${rule.type}, ${rule.action}: ${idleText(rule)}`)
}

/** The command `prove`: its arguments, options and help. */
export function proveDeclaration(end: End): Command {
  return command('prove', 'Judges the guarantees of the rulebook for every person and all records, and finds rules that do nothing.')
    .option('--only <names>', 'guarantees, idle-rules, or record types, separated by commas', names)
    .addOption(format(['text', 'json', 'junit', 'markdown']))
    .addHelpText(
      'after',
      `
It reads the rulebook and no data: what is proved holds for everyone, ever. A guarantee that is refuted comes with an example, a made-up
person with a few records. Exit status: 0 if all guarantees are proved, 1 if one is refuted or undecided. Rules that do nothing are told,
and change no status.

Examples:
  pachter prove
  pachter prove --only plot
  pachter prove --only guarantees --format junit`,
    )
    .action(async (options: ProveOptions) => {
      for (const part of options.only ?? []) if (part === '') throw new UsageError('prove --only: name what to judge')
      end((await proveCommand(options)) ? 0 : 1)
    })
}
