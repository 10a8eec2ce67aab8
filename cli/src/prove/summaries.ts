import type { Findings, Part } from './findings.js'
import type { Statement } from './statements.js'

type Summary = (statements: readonly Statement[], findings: Findings) => string

/** How many guarantees are proved, in a sentence. */
export const guaranteesSummary: Summary = (statements) => {
  const guarantees = statements.filter(({ kind }) => kind === 'guarantee')
  if (guarantees.length === 0) return 'The rulebook has no guarantees. Add some: book.guarantees({ ... }), see docs/proofs.md.'
  const counts = (['proved', 'refuted', 'undecided'] as const).flatMap((outcome) =>
    counted(guarantees.filter((one) => one.outcome === outcome).length, outcome),
  )
  return `Guarantees: ${counts.join(', ')}, for every person and all records.`
}

/** How many ways of self-promotion there are, in a sentence. */
export const promotionsSummary: Summary = (_statements, { promotions, asked }) => {
  // A way that several clauses allow counts once.
  const ways = (some: Findings['promotions']) => new Set(some.map(({ write, gain }) => JSON.stringify([write, gain]))).size
  const open = promotions.filter(({ accepted }) => accepted === undefined)
  const parts = [
    `${asked - ways(promotions)} proved to give nothing`,
    ...counted(ways(open.filter(({ example }) => example !== undefined)), 'found'),
    ...counted(ways(open.filter(({ example }) => example === undefined)), 'undecided'),
    ...counted(ways(promotions.filter(({ accepted }) => accepted !== undefined)), 'accepted'),
  ]
  return `Self-promotion, by one write: of ${asked} ways, ${parts.join(', ')}.`
}

/** How many rules make a difference, in a sentence. */
export const idleSummary: Summary = (_statements, { idle, looked }) =>
  idle.length === 0
    ? `Of ${looked} rules, each makes a difference for someone.`
    : `Of ${looked} rules, ${idle.length} ${idle.length === 1 ? 'needs' : 'need'} a look.`

export const SUMMARIES: { readonly [part in Part]: Summary } = {
  guarantees: guaranteesSummary,
  'self-promotion': promotionsSummary,
  'idle-rules': idleSummary,
}

const counted = (count: number, word: string): readonly string[] => (count === 0 ? [] : [`${count} ${word}`])
