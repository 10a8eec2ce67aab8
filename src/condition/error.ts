import type { ErrorCode } from './error-code.js'

const BRAND = Symbol.for('pachter.error')

/**
 * The base class of all errors that Pachter throws on purpose. `code` is stable and meant for programs. `message` is meant for people: it
 * names what is wrong and how to fix it.
 * @example
 * try { await store.get('plot', 'p-99') } catch (error) {
 *   if (isPachterError(error, 'NOT_FOUND')) return new Response(null, { status: 404 })
 *   throw error
 * }
 */
export class PachterError extends Error {
  readonly code: ErrorCode

  constructor(code: ErrorCode, message: string, options?: ErrorOptions) {
    super(message, options)
    this.name = new.target.name
    this.code = code
    Object.defineProperty(this, BRAND, { value: true })
  }
}

/**
 * Tells whether an error is one of Pachter's, and optionally whether it has this code.
 * Works across copies of the package, where `instanceof` would not.
 */
export function isPachterError(error: unknown, code?: ErrorCode): error is PachterError {
  if (typeof error !== 'object' || error === null || !(BRAND in error)) return false
  return code === undefined || (error as unknown as PachterError).code === code
}

/** A condition in JSON is invalid. `at` is the path to the fault. */
export class ConditionError extends PachterError {
  readonly at: string

  constructor(at: string, problem: string) {
    super('BAD_CONDITION', `${at}: ${problem}`)
    this.at = at
  }
}
