import { type SqlBool, sql } from 'kysely'
import { type ClaimNode, type Scalar, typeOf } from '../../../condition/index.js'
import type { Fragment, Test } from '../../expressions.js'
import type { DeferredValues } from '../../scope.js'
import { asClaim, rawOf } from '../storage-types.js'

/** The functions that read claims, in the given schema. A claim of another type, or an improper one, equals nothing. */
export function claimFunctions(schema: string): string[] {
  const own = (name: string) => `${schema}.${name}`
  const read = (name: string, returns: string, body: string, how = 'immutable') =>
    `create function ${own(name)}(claims jsonb, path text[]) returns ${returns} language sql ${how} parallel safe set search_path = pg_catalog, pg_temp as $$ ${body} $$;`
  const is = (type: string) => `jsonb_typeof(claims #> path) = '${type}'`
  const elements = (type: string, value: string, proper = 'true') =>
    `select case when ${is('array')} then array(select ${value} from jsonb_array_elements(claims #> path) as e where case when jsonb_typeof(e) = '${type}' then ${proper} end) end`
  const safe = `case when ${is('number')} and abs((claims #>> path)::numeric) <= 9007199254740991 and (claims #>> path)::numeric % 1 = 0 then (claims #>> path)::numeric::bigint end`
  // RFC 3339, part by part: PostgreSQL's own parser accepts more in some ways (second 60) and less in others (offsets).
  const parts = String.raw`'^(\d{4})-(\d{2})-(\d{2})(?:[Tt](\d{2}):(\d{2}):(\d{2})(?:[.](\d+))?(?:[Zz]|([+-])(\d{2}):(\d{2})))?$'`
  return [
    `create function ${own('now')}() returns timestamptz language sql stable set search_path = pg_catalog, pg_temp as $$ select date_trunc('milliseconds', coalesce(nullif(btrim(current_setting('pachter.now', true)), '')::timestamptz, statement_timestamp())) $$;`,
    read('text_of', 'text', `select case when ${is('string')} then claims #>> path end`),
    // A blank id is missing.
    read('id_of', 'text', `select case when ${is('string')} and btrim(claims #>> path, ' ') <> '' then claims #>> path end`),
    read('integer_of', 'bigint', `select ${safe}`),
    read(
      'number_of',
      'double precision',
      `select case when ${is('number')} and abs((claims #>> path)::numeric) <= 1.7976931348623157e308 then (claims #>> path)::double precision end`,
    ),
    read('boolean_of', 'boolean', `select case when ${is('boolean')} then (claims #> path)::boolean end`),
    // A date is its midnight. Years are shifted by one cycle of the calendar, because PostgreSQL has no year 0.
    read(
      'time_of',
      'timestamptz',
      `select (case when w.t >= timestamp '0001-01-01 00:00:00 BC' and w.t < timestamp '10000-01-01 00:00:00' then w.t end) at time zone 'UTC'
  from (select case when p.mo between 1 and 12 then case when p.d between 1 and extract(day from make_date(p.y + 400, p.mo, 1) + interval '1 month' - interval '1 day')
      and p.h <= 23 and p.mi <= 59 and p.s <= 59 and p.oh <= 23 and p.om <= 59
      then make_timestamp(p.y + 400, p.mo, p.d, p.h, p.mi, p.s) - interval '400 years' + p.ms * interval '1 millisecond' - p.sign * (p.oh * 60 + p.om) * interval '1 minute' end end as t
    from (select m[1]::int as y, m[2]::int as mo, m[3]::int as d, coalesce(m[4], '0')::int as h, coalesce(m[5], '0')::int as mi, coalesce(m[6], '0')::int as s,
        substr(coalesce(m[7], '') || '000', 1, 3)::int as ms, case m[8] when '-' then -1 else 1 end as sign, coalesce(m[9], '0')::int as oh, coalesce(m[10], '0')::int as om
      from (select regexp_match(case when ${is('string')} then claims #>> path end, ${parts}) as m) as r where m is not null) as p) as w`,
    ),
    // The times of a list in the form that JSON lists store them in. Invalid times are left out.
    read(
      'times_of',
      'jsonb',
      `select case when ${is('array')} then (select coalesce(jsonb_agg((case when u < timestamp '0001-01-01' then '0000' || to_char(u, '-MM-DD"T"HH24:MI:SS.MS"Z"') else to_char(u, 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"') end) order by n), '[]')
  from jsonb_array_elements(claims #> path) with ordinality as e(value, n), lateral (select ${own('time_of')}(jsonb_build_object('t', value), '{t}') at time zone 'UTC' as u) as at where u is not null) end`,
      'stable',
    ),
    read(
      'uuid_of',
      'uuid',
      `select case when ${is('string')} and claims #>> path ~ '^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$' then (claims #>> path)::uuid end`,
    ),
    read('texts_of', 'text[]', elements('string', "e #>> '{}'")),
    read('ids_of', 'text[]', elements('string', "e #>> '{}'", "btrim(e #>> '{}', ' ') <> ''")),
    read(
      'uuids_of',
      'uuid[]',
      `select array(select t::uuid from unnest(${own('texts_of')}(claims, path)) as t where t ~ '^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$')`,
    ),
    read('numbers_of', 'double precision[]', elements('number', '(e)::double precision', 'abs((e)::numeric) <= 1.7976931348623157e308')),
    read(
      'integers_of',
      'double precision[]',
      elements('number', '(e)::double precision', 'abs((e)::numeric) <= 9007199254740991 and (e)::numeric % 1 = 0'),
    ),
    read('booleans_of', 'boolean[]', elements('boolean', '(e)::boolean')),
    read('is_missing', 'boolean', `select claims #> path is null or ${is('null')}`),
  ]
}

const SINGLE: { readonly [T in Scalar]: string } = {
  text: 'text_of',
  id: 'id_of',
  integer: 'integer_of',
  number: 'number_of',
  boolean: 'boolean_of',
  time: 'time_of',
}

/** How SQL reads claims, which `me` returns as JSON. An uncorrelated subquery is evaluated once per query, and an index can be used. */
export function laterIn(schema: string, me: string, moved: Pick<DeferredValues, 'rowColumn' | 'ofRow'>, once = true): DeferredValues {
  const call = (name: string, { path }: ClaimNode, of: string = me) => {
    const called = sql.raw(`${schema}.${name}(${of}, ${textArray(path)})`)
    return once ? sql`(select ${called})` : sql`${called}`
  }
  const typed = (claim: ClaimNode): Scalar => {
    const type = typeOf(claim)
    return type === 'other' ? 'text' : type
  }
  const missing = (claim: ClaimNode): Test => {
    const none = sql<SqlBool>`${call('is_missing', claim)}`
    return claim.type === 'id' && !claim.list ? sql<SqlBool>`(${none} or btrim(${call('text_of', claim)}, ' ') = '')` : none
  }
  const listed = (claim: ClaimNode) => {
    const path = textArray(claim.path)
    // Times in the form of JSON columns; of whole numbers, only those that are whole.
    const proper = { time: `${schema}.times_of(${me}, ${path})`, integer: `to_jsonb(${schema}.integers_of(${me}, ${path}))` }
    const type = typed(claim)
    const list = type === 'time' || type === 'integer' ? proper[type] : `${me} #> ${path}`
    return sql.raw(once ? `(select ${list})` : `(${list})`)
  }
  return {
    ...moved,
    now: once ? sql.raw(`(select ${schema}.now())`) : sql.raw(`${schema}.now()`),
    day(zone, days) {
      const day = `(((${schema}.now() at time zone ${quoted(zone)})::date + ${days})::timestamp at time zone 'UTC')`
      return sql.raw(once ? `(select ${day})` : day)
    },
    claim(claim) {
      const value = call(SINGLE[typed(claim)], claim)
      return typed(claim) === 'text' || typed(claim) === 'id' ? asClaim(value, () => call('uuid_of', claim)) : value
    },
    claims: listed,
    isMissing: missing,
    isAmong(item: Fragment, type: Scalar, claim: ClaimNode): Test {
      const raw = rawOf(item)
      if (raw?.as === 'uuid') return sql<SqlBool>`${raw.ref} = any(${call('uuids_of', claim)}::uuid[])`
      // A value that is improper for the claims' own type equals nothing, whatever the item is.
      if (type === 'text' || type === 'id')
        return sql<SqlBool>`${item} = any(${call(typed(claim) === 'id' ? 'ids_of' : 'texts_of', claim)}::text[])`
      if (type === 'boolean') return sql<SqlBool>`${item} = any(${call('booleans_of', claim)}::boolean[])`
      if (type === 'time') {
        const each = sql.raw(`${schema}.time_of(jsonb_build_object('t', e), '{t}')`)
        const list = listed(claim)
        return sql<SqlBool>`${item} = any(array(select ${each} from jsonb_array_elements(case when jsonb_typeof(${list}) = 'array' then ${list} end) as e))`
      }
      return sql<SqlBool>`${item} = any(${call(typed(claim) === 'integer' ? 'integers_of' : 'numbers_of', claim)}::double precision[])`
    },
  }
}

/** A path as a literal. */
export function textArray(path: readonly string[]): string {
  const steps = path.map((step) => `"${step.replace(/["\\]/g, '\\$&')}"`).join(',')
  return quoted(`{${steps}}`)
}

/** A text as a literal. */
export function quoted(text: string): string {
  const plain = text.replaceAll("'", "''")
  return text.includes('\\') ? `E'${plain.replaceAll('\\', '\\\\')}'` : `'${plain}'`
}

/** A quoted name. */
export function named(...names: readonly (string | undefined)[]): string {
  return names
    .filter((name) => name !== undefined)
    .map((name) => `"${name.replaceAll('"', '""')}"`)
    .join('.')
}
