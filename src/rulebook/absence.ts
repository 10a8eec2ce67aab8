import { type ConditionNode, describe, describeTerm, findUnguardedNegations, type TermNode } from '../condition/index.js'
import { RulebookError } from './error.js'

/** Absence never grants: a missing value under `not` must not let a person in unless the author says what missing means. */
export function refuseUnguardedNegations(condition: ConditionNode, at: string, record: string): void {
  const [first] = findUnguardedNegations(condition)
  if (first === undefined) return
  const wording = { record: `the ${record}` }
  const term = describeTerm(first.term, wording)
  const claim = first.term.kind === 'claim'
  const code = codeOf(first.term, record)
  const orElse = `${code}.orElse(...)`
  throw new RulebookError(
    at,
    `"${describe(first.comparison, wording)}" is false if ${term} is missing${claim ? ', as it is for a visitor' : ''}. Here that would allow more, and missing data must never grant access. ` +
      (first.term.kind === 'claim' && !first.term.optional && first.term.links === undefined
        ? `Use signedIn.provided(...), or say what a missing value means: ${orElse}`
        : `Say what a missing value means: ${orElse}, or ${code}.isPresent() in the same allOf, or ${code}.isMissing() in the same anyOf`),
  )
}

/** A term in the syntax of rules. */
function codeOf(term: TermNode, record: string): string {
  switch (term.kind) {
    case 'claim':
      return `me.${term.path.join('.')}`
    case 'field': {
      const start = term.of === 'record' ? record : term.of === 'after' ? 'after' : 'it'
      return [start, ...(term.via ?? []).map(({ name }) => name), ...term.path].join('.')
    }
    case 'literal':
    case 'now':
    case 'forever':
    case 'orElse':
      return ''
  }
}
