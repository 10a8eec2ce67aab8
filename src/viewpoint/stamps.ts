import { type Env, instant, isMissing, NOW, type Row, shown, type TermNode, timeOf } from '../condition/index.js'
import { type Field, type TypeModel, timeAs } from '../rulebook/index.js'

/** Whether a stamp clears its field. */
export function isEmpty(term: TermNode): boolean {
  return term.kind === 'literal' && term.value === null
}

/** The values that the server would stamp now; null clears the field; undefined if a claim is missing. A deletion stamps the time of removal. */
export function stampValues(type: TypeModel, action: 'create' | 'update' | 'delete', env: Env): Row {
  const values: Record<string, unknown> = {}
  const { [action]: stamps = {} } = type.rules?.stamps ?? {}
  const removed = action === 'delete' && type.removal !== undefined ? { [type.removal]: NOW } : {}
  for (const [name, term] of Object.entries({ ...stamps, ...removed })) {
    if (isEmpty(term)) {
      values[name] = null
      continue
    }
    const raw = term.kind === 'now' ? new Date(timeOf(term, env.now)) : (shown(term)({}, env) ?? undefined)
    const time = type.fields[name]?.type === 'time' ? instant(raw) : undefined
    values[name] = time === undefined ? raw : timeAs(type.fields[name] as Field, time)
  }
  return values
}

/** A new record as it would be stored, with stamps, unless other values were given. */
export function stampedRecord(type: TypeModel, given: Row, env: Env): Row {
  const stamps = Object.entries(stampValues(type, 'create', env)).filter(
    ([name, value]) => value !== undefined && isMissing(given[name], 'other'),
  )
  return stamps.length === 0 ? given : { ...given, ...Object.fromEntries(stamps) }
}
