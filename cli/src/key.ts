import { isKey, type Key, keyFromText, keyName, type TypeModel } from 'pachter/internal/rulebook'
import { UsageError } from './errors.js'

/** Reads a key from the command line in the record type's form. @throws UsageError */
export function readKey(type: TypeModel, text: string | undefined, at: string): Key {
  if (text === undefined) throw new UsageError(`${at}: give the key of the ${type.name}`)
  const key = keyFromText(type, text)
  if (isKey(type, key)) return key
  const form = type.keys.length > 1 ? `of the form ${keyName(type)}` : 'whole numbers'
  throw new UsageError(`${at}: the keys of ${type.name} are ${form}, not ${JSON.stringify(text)}`)
}
