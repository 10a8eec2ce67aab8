import { bytesOf } from '../condition/index.js'
import type { Field } from './shape.js'

/** Whether the field is a bigint or bytes, which have a column of their own, unlike all else that rules do not compare. */
export function isUnlisted({ type, held, list }: Field): boolean {
  return type === 'other' && held !== undefined && list !== true
}

// Reading the digits of a longer number takes long.
const MOST_DIGITS = 1_000

const WHOLE = /^-?\d+$/

/** The bigint or bytes that a value of JSON stands for: whole numbers, decimal text and base64. Any other value stays as it is. */
export function unlistedFrom({ held }: Field, value: unknown): unknown {
  if (held === 'bytes') return bytesOf(value) ?? value
  const isWhole = typeof value === 'string' ? value.length <= MOST_DIGITS && WHOLE.test(value) : Number.isSafeInteger(value)
  return isWhole ? BigInt(value as string) : value
}

/** Whether a value is one of the field, or its JSON form. */
export function isUnlistedValue(field: Field, value: unknown): boolean {
  const found = unlistedFrom(field, value)
  return field.held === 'bytes' ? found instanceof Uint8Array : typeof found === 'bigint'
}
