import type { Row } from 'pachter/internal/condition'
import { type Condition, fieldOf, type TypeModel } from 'pachter/internal/rulebook'
import { FILTER_OPERATORS, filterFromText, valueFromText } from 'pachter/internal/store'
import { UsageError } from './errors.js'

/** Reads the `--set field=value` options. Values are read by the type of their field. */
export function readSettings(type: TypeModel, settings: readonly string[]): Row {
  const row: Record<string, unknown> = {}
  for (const setting of settings) {
    const at = setting.indexOf('=')
    if (at < 1) throw new UsageError(`--set ${setting}: write field=value`)
    const name = setting.slice(0, at).trim()
    row[name] = valueFromText(fieldOf(type, name), setting.slice(at + 1), `--set ${name}`)
  }
  return row
}

const SHORT = /^([^\s=]+)\s*=\s*(.*)$/s
const LONG = /^(\S+)\s+(\S+)(?:\s+(.*))?$/s

/**
 * Reads the `--where` options: `field=value`, or `field operator value` with the operators of rules, such as `rentDue isAtLeast 30`, `state
 * isOneOf vacant,ending`, `holderId isMissing`.
 */
export function readWhereText(type: TypeModel, text: string): (record: unknown) => Condition {
  const long = LONG.exec(text)
  const short = SHORT.exec(text)
  const isLong = long !== null && (short === null || FILTER_OPERATORS.includes(long[2] as string))
  const [, path = '', by = 'is', value] = isLong ? long : short ? [short[0], short[1], 'is', short[2]] : []
  if (path === '') throw new UsageError(`--where ${text}: write field=value, or field operator value, as in "rentDue isAtLeast 30"`)
  return filterFromText(type, { path: path.split('.'), by, value }, `--where ${text}`)
}
