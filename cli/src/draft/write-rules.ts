// The standings and rules of a draft. It opens reading only; what else people may do is suggested in comments.
import type { DraftType } from './draft.js'
import type { Guess, Guesses } from './guesses.js'
import { bracketed, comment, property, quoted } from './text.js'
import { EXPIRY, PUBLIC_LABEL } from './words.js'
import { fieldKind, linksOfMe, sessionTenantOf } from './write-records.js'

/** A standing of a record type, and why it is there. */
interface DraftStanding {
  readonly name: string
  readonly condition: string
  readonly why: string
}

/** The rules of one record type. */
export interface DraftRules {
  readonly type: DraftType
  readonly standings: readonly DraftStanding[]
  /** The clauses that let people read, each with its reason. */
  readonly read: readonly { readonly clause: string; readonly why: string }[]
  readonly secrets: readonly string[]
}

/** The rules of all record types. */
export function rulesOf(types: readonly DraftType[], guesses: Guesses): DraftRules[] {
  return types.map((type) => {
    const mine = guesses.all.filter((one) => one.type === type.name)
    const secrets = mine.filter(({ kind }) => kind === 'secret').map(({ field }) => field as string)
    const except = secrets.length === 0 ? '' : `.except(${secrets.map(quoted).join(', ')})`
    const standings = standingsOf(type, types, guesses)
    const open = openings(type, mine, guesses)
    return {
      type,
      standings,
      read: [
        ...standings.map(({ name, why }) => ({ clause: name + except, why })),
        ...open.map(({ clause, why }) => ({ clause: clause + except, why })),
      ],
      secrets,
    }
  })
}

function standingsOf(type: DraftType, types: readonly DraftType[], guesses: Guesses): DraftStanding[] {
  const { all, people } = guesses
  const of = variable(type)
  const found = new Map<string, { readonly tests: string[]; readonly reasons: string[] }>()
  const add = (name: string, test: string | undefined, why: string) => {
    if (test === undefined) return
    const there = found.get(name) ?? { tests: [], reasons: [] }
    found.set(name, there)
    if (there.tests.includes(test)) return
    there.tests.push(test)
    there.reasons.push(why)
  }
  if (type.name === people?.name) add('self', `${of}.${type.key[0]}.is(me.id)`, 'sure: it is the record of the person themselves.')
  for (const one of all.filter((guess) => guess.type === type.name)) {
    const why = `${one.sure}: ${one.why}.`
    if (one.kind === 'owner' || one.kind === 'author' || one.kind === 'assignee') add(one.kind, personTest(one, of, guesses), why)
    if (one.kind === 'parent') add('owner', ownerTest(type, of, types, guesses), why)
    if (one.kind === 'share' || one.kind === 'membership')
      add('own', personOfShare(type, of, guesses), 'sure: the row is about the person themselves.')
  }
  for (const one of all.filter(({ kind }) => kind === 'share')) {
    const share = types.find(({ name }) => name === one.type)
    const link = share?.links.find(({ name }) => name === one.link)
    if (share !== undefined && link?.to === type.name)
      add('shared', shareTest(type, share, of, guesses), `${one.sure}: ${share.table.name} shares it, because ${one.why}.`)
  }
  return [...found].map(([name, { tests, reasons }]) => ({
    name,
    condition: tests.length === 1 ? (tests[0] as string) : bracketed('anyOf(', tests, ')', '      '),
    why: reasons.join(' '),
  }))
}

function personTest({ field, by }: Guess, of: string, guesses: Guesses): string | undefined {
  const { email } = guesses
  const { own } = linksOfMe(guesses)
  if (by === 'email') return own === undefined || email === undefined ? undefined : `${of}.${field}.isIgnoringCase(me.${own}.${email})`
  return `${of}.${field}.${by === 'list' ? 'has' : 'is'}(me.id)`
}

/** The owner of the record that this one belongs to, however many steps away. */
function ownerTest(type: DraftType, of: string, types: readonly DraftType[], guesses: Guesses): string | undefined {
  const owners = guesses.all.filter((one) => one.type === type.name && one.kind === 'owner')
  if (owners.length > 0) {
    const tests = owners.flatMap((one) => personTest(one, of, guesses) ?? [])
    return tests.length > 1 ? `anyOf(${tests.join(', ')})` : tests[0]
  }
  const parent = guesses.all.find((one) => one.type === type.name && one.kind === 'parent')
  const link = type.links.find(({ name }) => name === parent?.link)
  const next = types.find(({ name }) => name === link?.to)
  return link === undefined || next === undefined ? undefined : ownerTest(next, `${of}.${link.name}`, types, guesses)
}

function personField(share: DraftType, guesses: Guesses): string | undefined {
  return share.links.find((link) => !link.many && link.to === guesses.people?.name && link.isByKey)?.by[0]?.[1]
}

function personOfShare(share: DraftType, of: string, guesses: Guesses): string | undefined {
  const field = personField(share, guesses)
  return field === undefined ? undefined : `${of}.${field}.is(me.id)`
}

function shareTest(type: DraftType, share: DraftType, of: string, guesses: Guesses): string | undefined {
  const field = personField(share, guesses)
  const back = type.links.find((link) => link.many && link.to === share.name)
  if (field === undefined || back === undefined) return undefined
  const expiry = share.fields.find(({ name, column }) => EXPIRY.test(name) && (column.kind === 'time' || column.kind === 'day'))
  const until =
    expiry === undefined
      ? []
      : [
          `one.${expiry.name}${expiry.column.nullable ? '.orElse(forever)' : ''}.${expiry.column.kind === 'day' ? 'isAtLeast(today)' : 'isAfter(now)'}`,
        ]
  const tests = [`one.${field}.is(me.id)`, ...until]
  return `${of}.${back.name}.some((one) => ${tests.length === 1 ? tests[0] : `allOf(${tests.join(', ')})`})`
}

/** What more people may read, by flags, states and the tenant. */
function openings(type: DraftType, mine: readonly Guess[], guesses: Guesses): { readonly clause: string; readonly why: string }[] {
  const of = variable(type)
  const { tenant: apart } = guesses
  const isApart = apart !== undefined && apart.type !== type.name && !apart.except.includes(type.name)
  const within = isApart ? `in the ${apart.type}` : '(also without signing in)'
  const published = mine
    .filter(({ kind }) => kind === 'published')
    .map(({ field, sure, why }) => {
      const column = type.fields.find(({ name }) => name === field)?.column
      const label = column?.labels?.find((one) => PUBLIC_LABEL.test(one))
      const test = column?.kind === 'time' ? 'isBefore(now)' : label === undefined ? 'is(true)' : `is(${quoted(label)})`
      return {
        clause: `anyone.provided(${of}.${field}.${test}).titled('public, by ${field}')`,
        why: `${sure}: everyone ${within} reads these, because of ${field}: ${why}.`,
      }
    })
  const test = type.name === guesses.tenant?.type ? ownTenant(type, of, guesses) : undefined
  return [
    ...(test === undefined
      ? []
      : [{ clause: `anyone.provided(${test}).titled('own ${type.name}')`, why: `likely: people read their own ${type.name}.` }]),
    ...published,
  ]
}

/** Whether the person belongs to a tenant: by a membership, or by their own record. */
function ownTenant(type: DraftType, of: string, guesses: Guesses): string | undefined {
  const { tenant, people, membership } = guesses
  const { memberships } = linksOfMe(guesses)
  const key = `${of}.${type.key[0]}`
  if (tenant?.isOfPerson) return `${key}.is(me.${people?.name}.${tenant.field})`
  const link = membership?.type.links.find((one) => !one.many && one.to === type.name)
  const field = link?.by[0]?.[1]
  return memberships === undefined || field === undefined ? undefined : `me.${memberships}.some((one) => one.${field}.is(${key}))`
}

/** A name for the record in rules. */
export function variable({ name }: DraftType): string {
  return WORDS.has(name) ? `${name}Record` : name
}

// What rules and the language use themselves.
const WORDS = new Set(
  'me anyone signedIn role standing now forever today one shapes book allOf anyOf not rulebook class case new delete default function return import export package public private interface enum const let var void with switch this super yield await async static true false null in of if else for while do try catch throw break continue typeof instanceof'.split(
    ' ',
  ),
)

/** `.standings({...})`; empty if there are none. */
export function standingsText(all: readonly DraftRules[]): string {
  const texts = standingCallbacks(all).map(([{ name }, text]) => `    ${property(name)}: ${text},`)
  return texts.length === 0 ? '' : `\n  .standings({\n${texts.join('\n')}\n  })`
}

/** The callback of each record type with standings. */
export function standingCallbacks(all: readonly DraftRules[]): (readonly [type: DraftType, text: string])[] {
  const types = all.filter(({ standings }) => standings.length > 0)
  return types.map(({ type, standings }) => {
    const lines = standings.map(({ name, condition, why }) => `${comment(why, '      ')}\n      ${name}: ${condition},`)
    const words = ['me', ...(standings.some(({ condition }) => /\btoday\b/.test(condition)) ? ['today'] : [])]
    const record = standings.some(({ condition }) => new RegExp(`\\b${variable(type)}\\.`).test(condition))
      ? variable(type)
      : `_${type.name}`
    return [type, `(${record}, { ${words.join(', ')} }) => ({\n${lines.join('\n')}\n    })`]
  })
}

/** `.rules({...})`. */
export function rulesText(all: readonly DraftRules[], guesses: Guesses): string {
  const texts = all.map((one) => `    ${property(one.type.name)}: ${ruleCallback(one, guesses)},`)
  return `\n  .rules({\n${texts.join('\n')}\n  })`
}

/** The callback with the rules of a record type. */
export function ruleCallback(rules: DraftRules, guesses: Guesses): string {
  const { type, standings, read, secrets } = rules
  const clauses = read.map(({ clause }) => clause)
  const flag = guesses.all.find((one) => one.kind === 'removal' && one.type === type.name && fieldKind(type, one.field) === 'boolean')
  const gate =
    flag === undefined
      ? []
      : [
          comment(`${flag.sure}: nobody reaches what is marked as removed by ${flag.field}: ${flag.why}.`, '      '),
          `      gate: { all: ${variable(type)}.${flag.field}.is(false) },`,
        ]
  const written = [...clauses, ...gate].join(' ')
  const record = new RegExp(`\\b${variable(type)}\\.`).test(written) ? variable(type) : `_${type.name}`
  const words = [
    ...(/\bme\./.test(written) ? ['me'] : []),
    ...(/\banyone\b/.test(written) ? ['anyone'] : []),
    ...(standings.length > 0 ? [`standing: { ${standings.map(({ name }) => name).join(', ')} }`] : []),
  ]
  const open = read.filter(({ clause }) => clause.startsWith('anyone')).map(({ why }) => comment(why, '      '))
  const lines = [
    ...(secrets.length > 0
      ? [comment(`sure: nobody reads ${secrets.join(', ')}, because of ${secrets.length === 1 ? 'its name' : 'their names'}.`, '      ')]
      : []),
    ...open,
    ...(clauses.length === 0 ? [comment('Nobody reads these yet: nothing here says whose they are.', '      ')] : []),
    ...gate,
    `      may: ${clauses.length === 0 ? '{}' : `{ read: ${bracketed('[', clauses, ']', '      ')} }`},`,
    ...suggestions(rules, guesses),
  ]
  return `(${record}${words.length > 0 ? `, { ${words.join(', ')} }` : ''}) => ({\n${lines.join('\n')}\n    })`
}

/** What the author may want to allow next, as comments. */
function suggestions({ type, standings, secrets }: DraftRules, { all, tenant }: Guesses): string[] {
  const of = variable(type)
  const mine = all.filter((one) => one.type === type.name)
  const state = mine.find(({ kind }) => kind === 'state')
  const labels = type.fields.find(({ name }) => name === state?.field)?.column.labels
  const isOwned = standings.some(({ name }) => name === 'owner')
  const fixed = new Set([
    ...type.key,
    ...secrets,
    tenant?.field,
    ...mine.filter(({ kind }) => /owner|author|assignee|removal|state|published/.test(kind)).map(({ field }) => field),
  ])
  const links = new Set(type.links.filter((link) => !link.many).flatMap((link) => link.by.map(([, own]) => own)))
  const free = type.fields.filter(({ name, generated }) => !fixed.has(name) && !links.has(name) && !generated).map(({ name }) => name)
  return [
    ...(isOwned && free.length > 0
      ? [`      // To let owners change it, add to may: update: [owner.only(${free.map(quoted).join(', ')})]`]
      : []),
    ...(state !== undefined && labels !== undefined && labels.length > 1
      ? [
          `      // To lock a state: vetoes: [{ actions: ['update', 'delete'], provided: ${of}.${state.field}.is(${quoted(labels.at(-1) as string)}) }]`,
        ]
      : []),
  ]
}

/** `.everyRecord(...)`: what keeps tenants apart. */
export function tenantText(guesses: Guesses): string {
  const { tenant, people } = guesses
  if (tenant === undefined) return ''
  const claim = sessionTenantOf(guesses) ?? `${people?.name}.${tenant.field}`
  const except = tenant.except.length === 0 ? '' : `, { except: [${tenant.except.map(quoted).join(', ')}] }`
  const why = comment(
    `sure: ${tenant.field} keeps each ${tenant.type} apart, because most tables have it. Record types without it are named as exceptions: check these.`,
    '  ',
  )
  return `\n${why}\n  .everyRecord(({ record, me }) => record.${tenant.field}.is(me.${claim})${except})`
}

/** The names that the rules use of pachter. */
export function importsOf(text: string): string {
  const names = ['allOf', 'anyOf', 'forever', 'now', 'rulebook', 'toMany', 'toOne'].filter((name) => new RegExp(`\\b${name}\\b`).test(text))
  return names.length === 0 ? '' : `import { ${names.join(', ')} } from 'pachter'\n`
}
