/** An error and its causes. */
export function causesOf(error: unknown): unknown[] {
  return error instanceof Error && error.cause !== undefined ? [error, ...causesOf(error.cause)] : [error]
}

/** The SQLSTATE of an error (ISO/IEC 9075), which tells the kind of a failure and nothing of what is stored. */
export function sqlStateOf(error: unknown): string | undefined {
  const { code, sqlState } = (error ?? {}) as { code?: unknown; sqlState?: unknown }
  const state = String(sqlState ?? code ?? '')
  return /^[0-9A-Z]{5}$/.test(state) ? state : undefined
}

/**
 * Whether the database itself reported the error, so that nothing was saved: it has an SQLSTATE. Not if the connection was lost (class 08)
 * or the server shut down (57P).
 */
export function isAnswer(error: unknown): boolean {
  const state = sqlStateOf(error)
  return state !== undefined && !/^(08|57P)/.test(state)
}
