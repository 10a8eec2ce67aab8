import { type RawBuilder, sql } from 'kysely'
import type { Fragment } from '../../expressions.js'
import { inlined } from '../../filter.js'
import { quoted } from './claims.js'

/** A fragment as SQL text, with literals instead of parameters. */
export function text(fragment: Fragment): string {
  return inlined(sql`${fragment}` as RawBuilder<unknown>, quoted)
}
