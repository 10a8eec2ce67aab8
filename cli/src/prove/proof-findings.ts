import type { ProofFindings, ProofStatement } from 'pachter/internal/review'
import type { Rulebook } from 'pachter/internal/viewpoint'
import { placesOf } from '../places.js'
import { type Findings, findingsOf, PARTS, type Part } from './findings.js'
import { idleText, statementsOf, unusedText } from './statements.js'
import { SUMMARIES } from './summaries.js'

const KINDS: { readonly [part in Part]: ProofStatement['kind'] } = {
  guarantees: 'guarantee',
  'self-promotion': 'self-promotion',
  'idle-rules': 'idle-rule',
}

/** What is proved and refuted, as plain data for a page. Guarantees alone take a moment; all of it takes seconds. */
export async function proofFindings(
  book: Rulebook,
  isWhole: boolean,
  onProgress: (what: string, done: number) => void = () => {},
): Promise<ProofFindings> {
  const types = Object.keys(book.model.types)
  const found = await findingsOf(book.model, isWhole ? PARTS : ['guarantees'], types, onProgress)
  const statements = statementsOf(book, found)
  return {
    parts: found.parts.map((part) => ({ kind: KINDS[part], summary: SUMMARIES[part](statements, found) })),
    statements: [...statements, ...idleStatements(book, found)],
    unused: found.unused.map(unusedText),
  }
}

function idleStatements(book: Rulebook, { idle }: Findings): readonly ProofStatement[] {
  const places = placesOf(book.model)
  return idle.map((rule) => ({
    kind: 'idle-rule',
    type: rule.type,
    title: `${rule.action}: ${idleText(rule)}`,
    outcome: rule.why === 'undecided' ? 'undecided' : 'does nothing',
    lines: [],
    place: rule.what === 'veto' ? places.veto(rule.type, rule.title) : places.clause(rule.type, rule.action, rule.title),
  }))
}
