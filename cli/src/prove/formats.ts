import { jsonText } from 'pachter/internal/condition'
import type { Rulebook } from 'pachter/internal/viewpoint'
import { placesOf } from '../places.js'
import { sarifText } from '../sarif.js'
import { printable } from '../table.js'
import { xmlText } from '../xml.js'
import type { Findings } from './findings.js'
import { idleText, type Statement, unusedText } from './statements.js'

/** For programs. */
export function json({ guarantees, promotions, asked, idle, looked, unused }: Findings): string {
  const told = guarantees.map(({ type, guarantee, judged }) => ({ type, title: guarantee.title, never: guarantee.never, ...judged }))
  return jsonText(
    {
      guarantees: told,
      selfPromotions: promotions,
      selfPromotionsAsked: asked,
      unusedAcceptances: unused,
      idleRules: idle,
      rulesLookedAt: looked,
    },
    2,
  )
}

/** The JUnit XML format: a case for each statement. */
export function junitText(statements: readonly Statement[]): string {
  const isOpen = ({ outcome }: Statement) => outcome === 'refuted' || outcome === 'undecided'
  const suites = (['guarantee', 'self-promotion'] as const).map((kind) => {
    const all = statements.filter((one) => one.kind === kind)
    const cases = all.map((one) => {
      const failure = { name: 'failure', attributes: { message: printable(one.lines[0] ?? '') }, inside: one.lines.join('\n') }
      return { name: 'testcase', attributes: { name: one.title, classname: one.type }, inside: isOpen(one) ? [failure] : [] }
    })
    const counts = { tests: all.length, failures: all.filter(isOpen).length, errors: 0, skipped: 0 }
    return { name: 'testsuite', attributes: { name: kind === 'guarantee' ? 'guarantees' : kind, ...counts }, inside: cases }
  })
  const counts = { tests: statements.length, failures: statements.filter(isOpen).length }
  return xmlText({ name: 'testsuites', attributes: { name: 'pachter prove', ...counts }, inside: suites })
}

/** For a comment on a pull request. */
export function markdownText(statements: readonly Statement[], { idle, unused }: Findings): string {
  const lines = ['| | record type | |', '| --- | --- | --- |']
  for (const { outcome, type, title } of statements) lines.push(`| ${outcome} | ${type} | ${title.replaceAll('|', '\\|')} |`)
  for (const { outcome, type, title, lines: example } of statements)
    if (outcome === 'refuted') lines.push('', `**${type}: ${title}** is refuted:`, '', '```text', ...example, '```')
  const notes = [...idle.map((rule) => `${rule.type}, ${rule.action}: ${idleText(rule)}`), ...unused.map(unusedText)]
  for (const note of notes) lines.push('', `- ${note}`)
  return lines.join('\n')
}

const KINDS = [
  { id: 'guarantee', text: 'A guarantee that is refuted or undecided' },
  { id: 'self-promotion', text: 'A write by which people give themselves more' },
  { id: 'idle-rule', text: 'A rule that makes no difference' },
]

/** For code review: what is open, and what is accepted, at its line. */
export function sarif(book: Rulebook, statements: readonly Statement[], { idle }: Findings): string {
  const open = statements
    .filter(({ outcome }) => outcome !== 'proved')
    .map(({ kind, type, title, outcome, lines, because, place }) => ({
      kind,
      level: outcome === 'accepted' ? ('note' as const) : ('error' as const),
      message: [`${type}: ${title}`, ...lines].join('\n'),
      place,
      fingerprint: JSON.stringify([kind, type, title]),
      ...(because === undefined ? {} : { accepted: because }),
    }))
  const places = placesOf(book.model)
  const rules = idle.map((rule) => ({
    kind: 'idle-rule',
    level: 'warning' as const,
    message: `${rule.type}, ${rule.action}: ${idleText(rule)}`,
    place: rule.what === 'veto' ? places.veto(rule.type, rule.title) : places.clause(rule.type, rule.action, rule.title),
    fingerprint: JSON.stringify(['idle-rule', rule.type, rule.action, rule.title]),
  }))
  return sarifText('pachter prove', KINDS, [...open, ...rules])
}
