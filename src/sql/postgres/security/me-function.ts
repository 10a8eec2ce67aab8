import { sql } from 'kysely'
import { allOfNode, type ClaimNode, compareNode, type FieldNode, notRemoved, TRUE } from '../../../condition/index.js'
import { type Field, type Model, type TypeModel, typeModel } from '../../../rulebook/index.js'
import { linkedClaims, linksOfMe } from '../../../viewpoint/index.js'
import { compile } from '../../compile.js'
import type { Fragment } from '../../expressions.js'
import type { ColumnPlace, Layout, TablePlace } from '../../places.js'
import { postgres } from '../dialect.js'
import { laterIn, named, quoted, textArray } from './claims.js'
import { text } from './text.js'

interface MeFunction {
  readonly model: Model
  /** All schemas are named, because the functions have an empty search path. */
  readonly layout: Layout
  /** The schema of the functions, as SQL writes it. */
  readonly functions: string
  /** The owner of the function. */
  readonly reader: string
}

/** The claims, with the records linked to the person. These are read from the tables, never taken from the client. */
export function meFunction({ model, layout, functions: f, reader }: MeFunction): string[] {
  // Rules of the database look for the records of a link to many themselves.
  const links = linksOfMe(model).filter(({ link }) => !link.many)
  const asked = linkedClaims(model)
  const steps = links.flatMap(({ path, link }) => {
    const place = layout.tables[link.to] as TablePlace
    const other = typeModel(model, link.to)
    const fields = [
      ...new Set([
        ...asked.filter((claim) => path.every((step, at) => claim[at] === step)).map((claim) => claim[path.length] as string),
        ...links
          .filter((next) => next.path.length > path.length && path.every((step, at) => next.path[at] === step))
          .flatMap((next) => next.link.by.map(({ from }) => from.path[0] as string)),
      ]),
    ].filter((name) => Object.hasOwn(other.fields, name))
    const by = link.by.map(({ to, from }) => {
      const claim: ClaimNode = { kind: 'claim', path: [...path.slice(0, -1), ...from.path], type: from.type, optional: true }
      const own: FieldNode = { kind: 'field', of: 'record', ...to }
      return compareNode(own, to.ignoringCase ? 'isIgnoringCase' : 'is', claim)
    })
    const later = laterIn(f, 'me', { rowColumn: (column) => sql.id(column), ofRow: (test) => test }, false)
    const there = link.removal === undefined ? [] : [notRemoved(link.removal, 'record')]
    const when = compile(allOfNode(by.length === 0 ? [TRUE] : [...by, ...there]), {
      dialect: postgres,
      now: 0,
      table: 'one',
      type: link.to,
      layout,
      later,
    })
    const pairs = fields.map((name) => `${quoted(name)}, ${text(asJson(place, other, name))}`)
    return [
      `  select jsonb_agg(linked_row) into linked from (select jsonb_build_object(${pairs.join(', ')}) as linked_row from ${named(place.schema, place.name)} as one where ${text(when)} limit 2) as linked_rows;`,
      '  -- If there are two, it is not certain which one is theirs.',
      `  if jsonb_array_length(linked) = 1 then me := jsonb_set(me, ${textArray(path)}, linked -> 0); end if;`,
    ]
  })
  const own = [...new Set(links.map(({ path }) => path[0] as string))]
  return [
    `create function ${f}.me() returns jsonb language plpgsql stable security definer set search_path = pg_catalog, pg_temp as $me$
declare me jsonb; linked jsonb;
begin
me := nullif(btrim(current_setting('pachter.me', true)), '')::jsonb;
if me is null or jsonb_typeof(me) <> 'object' then return null; end if;
${own.map((name) => `  me := me - ${quoted(name)};\n`).join('')}${steps.join('\n')}
return me;
end $me$;`,
    `alter function ${f}.me() owner to ${reader};`,
  ]
}

/** A column in the JSON form of claims. */
function asJson(table: TablePlace, type: TypeModel, name: string): Fragment {
  const { name: column, as } = table.columns[name] as ColumnPlace
  const field = type.fields[name] as Field
  const place = { ref: sql.id('one', column), ...(as === undefined ? {} : { as }) }
  if (field.list) return postgres.expressions.plainList?.(postgres.expressions.column(place, [], 'list')) ?? place.ref
  if (field.type === 'group' || field.type === 'other') return place.ref
  const value = postgres.expressions.column(place, [], field.type)
  if (field.type !== 'time') return sql`to_jsonb(${value})`
  return sql`to_jsonb(to_char(${value} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"'))`
}
