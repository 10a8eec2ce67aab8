// The grants of the role and the reader besides policies, and how to revoke them.
import { named, quoted } from './claims.js'

/** The names of the roles and of the functions' schema in the migration. */
export interface Names {
  /** The schema of the functions as a quoted name. */
  readonly functions: string
  /** The role that reads linked records, as a quoted name. */
  readonly reader: string
  /** The role that the policies apply to. */
  readonly role: string
}

/** Only a member of the reader role can make it the owner of functions. The membership lasts no longer than that. */
export function membership({ functions, reader }: Names): string[] {
  return [
    `do $$ begin if ${isMember(reader)} then comment on schema ${functions} is 'member'; else grant ${reader} to current_user; end if; end $$;`,
  ]
}

export function noMembership({ functions, reader }: Names): string[] {
  const said = `coalesce(obj_description(${quoted(functions)}::regnamespace, 'pg_namespace'), '')`
  return [`do $$ begin if split_part(${said}, E'\\n', 1) <> 'member' then revoke ${reader} from current_user; end if; end $$;`]
}

function isMember(reader: string): string {
  const name = quoted(unquoted(reader))
  return `exists (select from pg_auth_members m join pg_roles r on r.oid = m.roleid where r.rolname = ${name} and m.member = current_user::regrole)`
}

/**
 * The role may use the schemas of the tables. New grants are recorded in a comment of the functions' schema, so that the down migration
 * revokes only these.
 */
export function usage({ functions, role: name }: Names, schemas: readonly string[]): string[] {
  const f = quoted(functions)
  const role = named(name)
  const list = schemas.map((one) => quoted(one)).join(', ')
  return [
    `do $$ declare one text; said text := coalesce(obj_description(${f}::regnamespace, 'pg_namespace'), ''); begin
foreach one in array array[${list}]::text[] loop
  if not has_schema_privilege(${quoted(name)}, one::regnamespace, 'usage') then
    execute 'grant usage on schema ' || one || ' to ' || ${quoted(role)};
    said := said || E'\\n' || one;
  end if;
end loop;
execute format('comment on schema %s is %L', ${f}, said);
end $$;`,
  ]
}

export function noUsage({ functions, role: name }: Names): string[] {
  const role = quoted(named(name))
  return [
    `do $$ declare one text; begin
for one in select unnest((string_to_array(obj_description(${quoted(functions)}::regnamespace, 'pg_namespace'), E'\\n'))[2:]) loop
  execute 'revoke usage on schema ' || one || ' from ' || ${role};
end loop;
end $$;`,
  ]
}

/** The plain form of a quoted SQL name. */
export function unquoted(name: string): string {
  return name.slice(1, -1).replaceAll('""', '"')
}
