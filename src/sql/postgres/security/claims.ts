import { type SqlBool, sql } from 'kysely'
import { type ClaimNode, type Scalar, typeOf } from '../../../condition/index.js'
import type { Fragment, Test } from '../../dialect.js'
import type { Later } from '../../scope.js'
import { asClaim, rawOf } from '../held.js'

/** The functions that read claims, in the schema of that name. What is of another type, or improper, equals nothing. */
export function claimFunctions(schema: string): string[] {
  const own = (name: string) => `${schema}.${name}`
  const read = (name: string, returns: string, body: string, how = 'immutable') =>
    `create function ${own(name)}(claims jsonb, path text[]) returns ${returns} language sql ${how} parallel safe set search_path = pg_catalog, pg_temp as $$ ${body} $$;`
  const is = (type: string) => `jsonb_typeof(claims #> path) = '${type}'`
  const elements = (type: string, value: string, proper = 'true') =>
    `select case when ${is('array')} then array(select ${value} from jsonb_array_elements(claims #> path) as e where case when jsonb_typeof(e) = '${type}' then ${proper} end) end`
  const safe = `case when ${is('number')} and abs((claims #>> path)::numeric) <= 9007199254740991 and (claims #>> path)::numeric % 1 = 0 then (claims #>> path)::numeric::bigint end`
  const instant = "'^[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}:[0-9]{2}([.][0-9]+)?(Z|[+-][0-9]{2}:[0-9]{2})$'"
  const day = "'^[0-9]{4}-[0-9]{2}-[0-9]{2}$'"
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
    // A day is its midnight; the year 0 is the first before Christ.
    read(
      'time_of',
      'timestamptz',
      `select date_trunc('milliseconds', case when t like '0000%' then ('0001' || substr(t, 5) || ' BC')::timestamptz else t::timestamptz end)
  from (select case when ${is('string')} and claims #>> path ~ ${instant} then claims #>> path when ${is('string')} and claims #>> path ~ ${day} then (claims #>> path) || 'T00:00:00Z' end as t) as written`,
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

/** How SQL asks for claims, which `me` gives as JSON. A subquery of its own is asked once for a query, and an index serves. */
export function laterIn(schema: string, me: string, moved: Pick<Later, 'rowColumn' | 'ofRow'>, once = true): Later {
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
  const listed = ({ path }: ClaimNode) => {
    const list = `${me} #> ${textArray(path)}`
    return sql.raw(once ? `(select ${list})` : `(${list})`)
  }
  return {
    ...moved,
    now: once ? sql.raw(`(select ${schema}.now())`) : sql.raw(`${schema}.now()`),
    claim(claim) {
      const value = call(SINGLE[typed(claim)], claim)
      return typed(claim) === 'text' || typed(claim) === 'id' ? asClaim(value, () => call('uuid_of', claim)) : value
    },
    claims: listed,
    isMissing: missing,
    isAmong(item: Fragment, type: Scalar, claim: ClaimNode): Test {
      const raw = rawOf(item)
      if (raw?.as === 'uuid') return sql<SqlBool>`${raw.ref} = any(${call('uuids_of', claim)}::uuid[])`
      // What is improper by the claims' own type equals nothing, whatever the item is.
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

/** A name, quoted. */
export function named(...names: readonly (string | undefined)[]): string {
  return names
    .filter((name) => name !== undefined)
    .map((name) => `"${name.replaceAll('"', '""')}"`)
    .join('.')
}
