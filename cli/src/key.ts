import type { Key, TypeModel } from 'pachter/internal/rulebook'
import { UsageError } from './errors.js'

/** A key from the command line, as the record type has it. @throws UsageError */
export function readKey(type: TypeModel, text: string | undefined, at: string): Key {
  if (text === undefined) throw new UsageError(`${at}: which ${type.name}? Give its key`)
  if (type.fields[type.key]?.type !== 'integer') return text
  const key = Number(text)
  if (text.trim() === '' || !Number.isSafeInteger(key)) throw new UsageError(`${at}: ${type.name} has whole numbers for keys, not ${text}`)
  return key
}
