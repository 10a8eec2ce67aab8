// The part of the rulebook that says what there is: the person, and the record types with their keys and links.
import type { DraftLink, DraftType } from './draft.js'
import type { Guess, Guesses } from './guesses.js'
import { pascalCase, plural } from './names.js'
import { bracketed, comment, property, quoted } from './text.js'
import { shapeOf } from './write-shapes.js'

/** The links of the person that rules use: their own record, and their memberships. */
export interface LinksOfMe {
  readonly own: string | undefined
  readonly memberships: string | undefined
}

export function linksOfMe({ people, membership }: Guesses): LinksOfMe {
  return { own: people?.name, memberships: membership && plural(membership.type.name) }
}

/** The schema of what a session says of the person. */
export function sessionText({ people, tenant, membership }: Guesses, types: readonly DraftType[]): string {
  const key = people?.fields.find(({ name }) => name === people.key[0])
  const id = key === undefined ? 'z.string()' : shapeOf({ column: { ...key.column, nullable: false } })
  const lines = [`  id: ${id},`]
  const sessionTenant = sessionTenantOf({ tenant, membership })
  if (sessionTenant !== undefined) {
    const column = types.flatMap(({ fields }) => fields).find(({ name }) => name === sessionTenant)?.column
    lines.push(
      comment(`The ${tenant?.type} for which the person acts now. Check that they belong to it when you put it into the session.`, '  '),
    )
    lines.push(
      `  ${property(sessionTenant)}: ${column === undefined ? 'z.string()' : shapeOf({ column: { ...column, nullable: false } })},`,
    )
  }
  return `/** What your sign-in says of a person. Take it from your session or token, never from the request. */\nexport const Session = z.object({\n${lines.join('\n')}\n})\n`
}

/** The claim that says for which tenant the person acts, unless their record does. */
export function sessionTenantOf({ tenant }: Pick<Guesses, 'tenant' | 'membership'>): string | undefined {
  return tenant === undefined || tenant.isOfPerson ? undefined : tenant.field
}

/** The argument of `rulebook(...)`. */
export function definitionText(types: readonly DraftType[], guesses: Guesses): string {
  const records = types.map((type) => recordText(type, types, guesses))
  return `rulebook({\n  me: ${meText(guesses)},\n  records: {\n${records.join('\n')}\n  },\n})`
}

function meText(guesses: Guesses): string {
  const { people, membership, all } = guesses
  const { own, memberships } = linksOfMe(guesses)
  const links = [
    ...(own === undefined ? [] : [`${property(own)}: toOne(${quoted(own)}, 'id')`]),
    ...(membership === undefined || memberships === undefined
      ? []
      : [`${property(memberships)}: toMany(${quoted(membership.type.name)}, { ${property(membership.person)}: 'id' })`]),
  ]
  const role = all.find(({ kind, type, field }) => kind === 'roles' && type === people?.name && /^roles?$/i.test(field ?? ''))
  const lines = [
    '    shape: Session,',
    "    key: 'id',",
    ...(links.length === 0 ? [] : [`    links: ${bracketed('{', links, '}', '    ')},`]),
    ...(membership !== undefined && memberships !== undefined
      ? [`    roles: (me) => me.${memberships}.where(${roleCondition(guesses)}).${membership.role},`]
      : role === undefined
        ? []
        : [`    roles: (me) => me.${own}.${role.field},`]),
  ]
  return `{\n${lines.join('\n')}\n  }`
}

function roleCondition(guesses: Guesses): string {
  const { tenant, membership } = guesses
  const field = sessionTenantOf(guesses)
  if (tenant === undefined || membership === undefined || field === undefined) return ''
  return membership.type.fields.some(({ name }) => name === field) ? `(one) => one.${field}.is(me.${field})` : ''
}

function recordText(type: DraftType, types: readonly DraftType[], guesses: Guesses): string {
  const { name, key, fields, table } = type
  const removal = removalOf(type, guesses)
  const outliving = removal === undefined ? [] : type.links.filter((link) => isCascadeToLasting(link, types, guesses))
  const links = type.links.map((link) => (outliving.includes(link) ? { ...link, onDelete: undefined } : link))
  const days = fields.filter(({ column }) => column.kind === 'day' && column.list !== true).map((one) => quoted(one.name))
  const generated = fields.filter((one) => one.generated).map((one) => quoted(one.name))
  const lines = [
    ...table.rules.map((rule) => comment(`In the database: ${rule}`, '    ')),
    ...outliving.map((link) =>
      comment(
        `The database deletes these with their ${link.to}. Here they are removed and not deleted, so deleting the ${link.to} is refused.`,
        '    ',
      ),
    ),
    `    ${property(name)}: {`,
    `      shape: shapes.${pascalCase(name)},`,
    `      key: ${key.length === 1 ? quoted(key[0] as string) : `[${key.map(quoted).join(', ')}]`},`,
    ...(links.length === 0 ? [] : [`      links: ${bracketed('{', links.map(linkText), '}', '      ')},`]),
    ...(days.length === 0 ? [] : [`      days: [${days.join(', ')}],`]),
    ...(generated.length === 0 ? [] : [`      generated: [${generated.join(', ')}],`]),
    ...(removal === undefined
      ? []
      : [
          comment(`${removal.sure}: ${removal.field} marks removed records, because ${removal.why}.`, '      '),
          `      removal: ${quoted(removal.field as string)},`,
        ]),
    '    },',
  ]
  return lines.join('\n')
}

/** The guess that records are removed and not deleted. */
function removalOf(type: DraftType, { all }: Guesses): Guess | undefined {
  return all.find((one) => one.kind === 'removal' && one.type === type.name && fieldKind(type, one.field) === 'time')
}

/** Whether removed records would keep the key of a record that was deleted for good. */
function isCascadeToLasting({ to, onDelete }: DraftLink, types: readonly DraftType[], guesses: Guesses): boolean {
  const target = types.find(({ name }) => name === to)
  return onDelete === 'delete' && target !== undefined && removalOf(target, guesses) === undefined
}

export function fieldKind({ fields }: DraftType, name: string | undefined): string | undefined {
  return fields.find((one) => one.name === name)?.column.kind
}

function linkText({
  name,
  to,
  many,
  by,
  isByKey,
  onDelete,
}: Omit<DraftLink, 'onDelete'> & { readonly onDelete?: string | undefined }): string {
  const pairs = by.map(([theirs, mine]) => `${property(theirs)}: ${quoted(mine)}`).join(', ')
  const single = by.length === 1 && isByKey ? by[0] : undefined
  const joined = single === undefined ? `{ ${pairs} }` : quoted(many ? single[0] : single[1])
  const options = onDelete === undefined ? '' : `, { onDelete: ${quoted(onDelete)} }`
  return `${property(name)}: ${many ? 'toMany' : 'toOne'}(${quoted(to)}, ${joined}${options})`
}
