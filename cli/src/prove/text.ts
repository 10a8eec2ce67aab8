import pc from 'picocolors'
import { say } from '../output.js'
import { placeText } from '../places.js'
import type { Findings } from './findings.js'
import { idleText, type Statement, unusedText } from './statements.js'

const SIGNS = { proved: pc.green('✔'), refuted: pc.red('✘'), undecided: pc.yellow('?'), accepted: pc.green('✔') } as const

/** The report for a person at a terminal. */
export function reportText(statements: readonly Statement[], findings: Findings): void {
  const { parts } = findings
  const reports = { guarantees: reportGuarantees, 'self-promotion': reportPromotions, 'idle-rules': reportIdle }
  for (const [at, part] of parts.entries()) {
    if (at > 0) say()
    reports[part](statements, findings)
  }
}

function reportGuarantees(statements: readonly Statement[]): void {
  const guarantees = statements.filter(({ kind }) => kind === 'guarantee')
  if (guarantees.length === 0) {
    say('The rulebook has no guarantees. Add some: book.guarantees({ ... }), see docs/proofs.md.')
    return
  }
  for (const one of guarantees) sayStatement(one)
  say()
  say(`Guarantees: ${counted(guarantees)}, for every person and all records.`)
}

function reportPromotions(statements: readonly Statement[], { promotions, asked, unused }: Findings): void {
  for (const one of statements.filter(({ kind }) => kind === 'self-promotion')) sayStatement(one)
  for (const one of unused) say(`${pc.yellow('!')} ${unusedText(one)}`)
  if (promotions.length + unused.length > 0) say()
  // A way that several clauses allow counts once.
  const ways = (some: Findings['promotions']) => new Set(some.map(({ write, gain }) => JSON.stringify([write, gain]))).size
  const count = (some: Findings['promotions'], word: string) => (some.length === 0 ? [] : [`${ways(some)} ${word}`])
  const open = promotions.filter(({ accepted }) => accepted === undefined)
  const parts = [
    `${asked - ways(promotions)} proved to give nothing`,
    ...count(
      open.filter(({ example }) => example !== undefined),
      'found',
    ),
    ...count(
      open.filter(({ example }) => example === undefined),
      'undecided',
    ),
    ...count(
      promotions.filter(({ accepted }) => accepted !== undefined),
      'accepted',
    ),
  ]
  say(`Self-promotion, by one write: of ${asked} ways, ${parts.join(', ')}.`)
}

function sayStatement({ type, title, outcome, lines, because, place }: Statement): void {
  say(`${SIGNS[outcome]} ${type}: ${title}${outcome === 'refuted' ? placeText(place) : ''}`)
  if (because !== undefined) say(`    accepted: ${because}`)
  for (const line of lines) say(`    ${outcome === 'undecided' ? pc.yellow(line) : line}`)
}

function counted(statements: readonly Statement[]): string {
  const count = (outcome: string) => statements.filter((one) => one.outcome === outcome).length
  const parts = ['proved', 'refuted', 'undecided'].map((outcome) => `${count(outcome)} ${outcome}`)
  return parts.filter((part) => !part.startsWith('0 ')).join(', ')
}

function reportIdle(_statements: readonly Statement[], { idle, looked }: Findings): void {
  if (idle.length === 0) say(`Of ${looked} rules, each makes a difference for someone.`)
  for (const rule of idle) say(`${pc.yellow('!')} ${rule.type}, ${rule.action}: ${idleText(rule)}`)
}
