import { instant, isMissing, type Row } from '../condition/index.js'
import type { Field } from './shape.js'

/** Whether two values of a field are equal: times by instant, and all forms of missing. */
export function sameValue(field: Field | undefined, a: unknown, b: unknown): boolean {
  if (isMissing(a, 'other') || isMissing(b, 'other')) return isMissing(a, 'other') && isMissing(b, 'other')
  if (Array.isArray(a) && Array.isArray(b)) return a.length === b.length && a.every((one, at) => sameValue(field, one, b[at]))
  if (field?.type === 'time') return instant(a) === instant(b)
  if (a instanceof Uint8Array && b instanceof Uint8Array) return a.length === b.length && a.every((byte, at) => byte === b[at])
  if (typeof a !== 'object' || typeof b !== 'object' || Array.isArray(a) || Array.isArray(b)) return a === b
  const names = new Set([...Object.keys(a as Row), ...Object.keys(b as Row)])
  return [...names].every((name) => sameValue(field?.fields?.[name], (a as Row)[name], (b as Row)[name]))
}
