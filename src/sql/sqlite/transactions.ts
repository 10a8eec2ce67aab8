import type { Transactions } from '../dialect.js'

/** How this database isolates transactions. */
export const transactions: Transactions = Object.freeze({
  isConstraintFailure: (error: unknown): boolean => error instanceof Error && /\bconstraint failed\b/i.test(error.message),
})
