import { OwnQueryError } from './refused.js'

// Drivers that escape values themselves take some objects for SQL.
const isPlain = (value: unknown) =>
  value === null || ['string', 'number', 'bigint', 'boolean'].includes(typeof value) || value instanceof Date || value instanceof Uint8Array

/**
 * A value for the database: a text, number, boolean, null, Date, bytes, or a list of these. It is copied, so that it stays what was checked.
 * @throws OwnQueryError
 */
export function readValue(value: unknown): unknown {
  if (Array.isArray(value) && value.every(isPlain)) return value.map(copied)
  if (!isPlain(value))
    throw new OwnQueryError(
      `a value is ${value === undefined ? 'undefined' : 'an object'}: pass text, numbers, booleans, null, Dates, bytes, or lists of these`,
    )
  return copied(value)
}

function copied(value: unknown): unknown {
  if (value instanceof Date) return new Date(value)
  return value instanceof Uint8Array ? Buffer.from(value) : value
}

/** Literals that are written into the text of a query mean the same in every database and session. @throws OwnQueryError */
export function checkLiteral(value: unknown): void {
  if (value === null || typeof value === 'boolean' || (typeof value === 'bigint' && value >= 0n)) return
  if (typeof value === 'number' && Number.isFinite(value) && value >= 0) return
  if (typeof value === 'string' && /^[\w :.,/%+-]*$/.test(value)) return
  throw new OwnQueryError(
    'a literal may be a number from 0, a boolean, null, or text of letters, digits and :.,/%+-_ only: use eb.val(...) for other values',
  )
}
