import type { DraftLink, DraftType } from './draft.js'
import { type Guess, roleField, type Tenant } from './guesses.js'
import { EXPIRY, LEVEL, SHARE, TENANT } from './words.js'

/** Tables that join people with other records: memberships of tenants and teams, and shares of records. */
export function sharesOf(types: readonly DraftType[], people: DraftType, tenant: Tenant | undefined): Guess[] {
  return types.flatMap((type): Guess[] => {
    if (type.name === people.name) return []
    const toPeople = type.links.filter(
      (link) => !link.many && link.to === people.name && link.isByKey && !/(grant|creat|invited|added|by)/i.test(link.name),
    )
    const others = type.links.filter((link) => !link.many && link.to !== people.name && link.isByKey)
    const shared = others.filter((link) => link.to !== tenant?.type)
    const person = toPeople[0]
    if (person === undefined || toPeople.length > 1) return []
    const tenants = others.filter((link) => link.to === tenant?.type || TENANT.test(link.to))
    if (roleField(type) !== undefined && tenants.length > 0 && shared.every((link) => tenants.includes(link)))
      return [
        {
          kind: 'membership',
          type: type.name,
          link: tenants[0]?.name as string,
          sure: 'sure',
          why: `it joins ${people.name} with ${tenants[0]?.to}, and has a role`,
        },
      ]
    const [only] = shared
    if (only === undefined || shared.length > 1 || !isJunction(type, person, only)) return []
    const isNamed = SHARE.test(type.name)
    return [
      {
        kind: 'share',
        type: type.name,
        link: only.name,
        sure: isNamed || hasTerms(type) ? 'sure' : 'likely',
        why: `it joins ${people.name} with ${only.to}${hasTerms(type) ? ', and says how or how long' : ''}`,
      },
    ]
  })
}

/** Whether a table is about a pair of a person and a record: its key or a unique index says so, or it holds little else. */
function isJunction({ table, fields }: DraftType, person: DraftLink, other: DraftLink): boolean {
  const pair = [...person.by, ...other.by].map(([, mine]) => mine)
  const names = (columns: readonly string[]) => columns.map((column) => fields.find((field) => field.column.name === column)?.name ?? '')
  const isPair = (columns: readonly string[]) => pair.every((one) => names(columns).includes(one)) && columns.length <= pair.length + 1
  return (
    isPair(table.key) ||
    table.uniques.some(isPair) ||
    (SHARE.test(table.name) && fields.some(({ name }) => LEVEL.test(name) || EXPIRY.test(name)))
  )
}

function hasTerms({ fields }: DraftType): boolean {
  return fields.some(({ name }) => LEVEL.test(name) || EXPIRY.test(name))
}
