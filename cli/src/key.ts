import type { Key, TypeModel } from 'pachter/internal/rulebook'
import { UsageError } from './errors.js'

/** Reads a key from the command line in the record type's form. @throws UsageError */
export function readKey(type: TypeModel, text: string | undefined, at: string): Key {
  if (text === undefined) throw new UsageError(`${at}: give the key of the ${type.name}`)
  if (type.fields[type.key]?.type !== 'integer') return text
  const key = Number(text)
  if (text.trim() === '' || !Number.isSafeInteger(key))
    throw new UsageError(`${at}: the keys of ${type.name} are whole numbers, not ${text}`)
  return key
}
