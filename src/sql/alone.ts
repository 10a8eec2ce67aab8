import { type Field, isUnlisted } from '../rulebook/index.js'

// The marks of columns whose values rules do not compare, and that are no JSON.
const MARKS = { bigint: 'bigint alone', bytes: 'bytes alone' } as const

/** The mark of a bigint or bytes in a column of their own; undefined for other fields. */
export function aloneAs(field: Field): string | undefined {
  return isUnlisted(field) ? MARKS[field.held as keyof typeof MARKS] : undefined
}

/** Whether a column has such a mark. */
export function isAlone(as: string | undefined): boolean {
  return as === MARKS.bigint || as === MARKS.bytes
}

/** The mark, if a column of a type can hold the field; null if it cannot. */
export function heldAlone(field: Field, type: string, forms: { readonly bigint: RegExp; readonly bytes: RegExp }): string | null {
  return forms[field.held as keyof typeof forms].test(type) ? (aloneAs(field) as string) : null
}
