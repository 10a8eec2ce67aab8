import { type Env, instant, instantText, isMissing, type Row, shown } from '../condition/index.js'
import type { TypeModel } from '../rulebook/index.js'

/** The values that the server would stamp now; undefined if a claim is missing. */
export function stampValues(type: TypeModel, action: 'create' | 'update', env: Env): Row {
  const values: Record<string, unknown> = {}
  for (const [name, term] of Object.entries(type.rules?.stamps[action] ?? {})) {
    const raw = term.kind === 'now' ? new Date(env.now) : (shown(term)({}, env) ?? undefined)
    const time = type.fields[name]?.type === 'time' ? instant(raw) : undefined
    values[name] = time === undefined ? raw : type.fields[name]?.held === 'text' ? instantText(time) : new Date(time)
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
