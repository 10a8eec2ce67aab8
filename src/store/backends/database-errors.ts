/** An error, and what it was caused by. */
export function causesOf(error: unknown): unknown[] {
  return error instanceof Error && error.cause !== undefined ? [error, ...causesOf(error.cause)] : [error]
}

/**
 * Whether an error is the database's own answer, by which it kept nothing: one with an SQLSTATE. Not where the connection
 * was lost (class 08), or the server went down (57P).
 */
export function isAnswer(error: unknown): boolean {
  const { code, sqlState } = (error ?? {}) as { code?: unknown; sqlState?: unknown }
  const state = String(sqlState ?? code ?? '')
  return /^[0-9A-Z]{5}$/.test(state) && !/^(08|57P)/.test(state)
}
