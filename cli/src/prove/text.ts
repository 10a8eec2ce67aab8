import pc from 'picocolors'
import { say } from '../output.js'
import { placeText } from '../places.js'
import type { Findings } from './findings.js'
import { idleText, type Statement, unusedText } from './statements.js'
import { guaranteesSummary, idleSummary, promotionsSummary } from './summaries.js'

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

function reportGuarantees(statements: readonly Statement[], findings: Findings): void {
  const guarantees = statements.filter(({ kind }) => kind === 'guarantee')
  for (const one of guarantees) sayStatement(one)
  if (guarantees.length > 0) say()
  say(guaranteesSummary(statements, findings))
}

function reportPromotions(statements: readonly Statement[], findings: Findings): void {
  for (const one of statements.filter(({ kind }) => kind === 'self-promotion')) sayStatement(one)
  for (const one of findings.unused) say(`${pc.yellow('!')} ${unusedText(one)}`)
  if (findings.promotions.length + findings.unused.length > 0) say()
  say(promotionsSummary(statements, findings))
}

function sayStatement({ type, title, outcome, lines, because, place }: Statement): void {
  say(`${SIGNS[outcome]} ${type}: ${title}${outcome === 'refuted' ? placeText(place) : ''}`)
  if (because !== undefined) say(`    accepted: ${because}`)
  for (const line of lines) say(`    ${outcome === 'undecided' ? pc.yellow(line) : line}`)
}

function reportIdle(statements: readonly Statement[], findings: Findings): void {
  for (const rule of findings.idle) say(`${pc.yellow('!')} ${rule.type}, ${rule.action}: ${idleText(rule)}`)
  if (findings.idle.length > 0) say()
  say(idleSummary(statements, findings))
}
