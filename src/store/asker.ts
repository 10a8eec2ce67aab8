import { allOfNode, type Comparable, type ConditionNode, type Env, linkValues, notRemoved, type Row, TRUE } from '../condition/index.js'
import { type Model, typeModel } from '../rulebook/index.js'
import {
  type Clock,
  claimsAlone,
  type FurtherLink,
  type InnerViewpoint,
  type LinkOfMe,
  linksOfMe,
  MOST_OWN,
  ownOf,
  sameClaims,
  startOfLink,
  viewpointAgain,
  viewpointOf,
  withFurther,
  withLinked,
} from '../viewpoint/index.js'
import type { Asker, AskersRules } from './asker-types.js'
import { BatchLinks } from './backends/batch-links.js'
import { placeIs } from './read/key-conditions.js'
import type { Tables } from './tables.js'

/** The asker: what can be decided without a lookup, and the rules within one operation. */
export interface Person {
  /** The rules by the claims alone. Records linked to the person count as missing. */
  readonly still: Asker
  /**
   * Their rules of some record types as they were at the last call, if the person's own records are read for these and the call is remembered.
   * `now` returns the same object if the records have not changed.
   */
  before(types: readonly string[]): Asker | undefined
  /** The rules of some record types, with the person's own records read again. */
  now(tables: Tables, types: readonly string[], lock?: 'share'): Promise<Asker>
  /** The same person within a routine, which they must be allowed to call. */
  within(routine: string): Person
  /** The routine within which they act. */
  readonly routine?: string | undefined
}

/** What is remembered of the last calls of a person: most calls find that nothing has changed. */
interface LastCalls {
  /** By the links that were followed. */
  readonly askers: Map<readonly LinkOfMe[], Asker>
  /** How the record of a link was found. */
  readonly conditions: Map<LinkOfMe, { readonly values: readonly unknown[]; readonly where: ConditionNode }>
  /** How many times in a row the person's records had changed. */
  changes: number
}

/** If a person's records change with every call, such as the time of their last visit, nothing is read in advance. */
const MOST_CHANGES = 2

const lastCalls = new WeakMap<InnerViewpoint, LastCalls>()

function lastCallsOf(viewpoint: InnerViewpoint): LastCalls {
  const there = lastCalls.get(viewpoint) ?? { askers: new Map(), conditions: new Map(), changes: 0 }
  lastCalls.set(viewpoint, there)
  return there
}

/** A person with checked claims. */
export function person(model: Model, me: Row | null, clock: Clock | undefined, within?: string): Person {
  const claims = me && claimsAlone(model, me)
  const viewpoint = (me: Row | null) => viewpointAgain(model, me, clock, within)
  const byClaims = viewpoint(claims)
  const still = personal(byClaims)
  const last = lastCallsOf(byClaims)
  return {
    still,
    before: (types) => (claims === null || last.changes >= MOST_CHANGES ? undefined : last.askers.get(linksOfMe(model, types))),
    async now(tables, types, lock) {
      const links = claims === null ? [] : linksOfMe(model, types)
      if (claims === null) return still
      if (links.length === 0) return knowing(still, links)
      const mine = await loaded(tables, claims, links, last, still.env(), lock)
      const before = last.askers.get(links)
      const isSame = sameClaims(before?.viewpoint?.me, mine)
      last.changes = isSame || before === undefined ? 0 : last.changes + 1
      if (isSame) return before as Asker
      const asker = knowing(personal(viewpoint(mine)), links)
      last.askers.set(links, asker)
      return asker
    },
    routine: within,
    within: (routine) => person(model, claims, clock, routine),
  }
}

async function loaded(
  tables: Tables,
  claims: Row,
  links: readonly LinkOfMe[],
  last: LastCalls,
  { now }: Env,
  lock: 'share' | undefined,
): Promise<Row> {
  let me = claims
  for (const one of links) {
    const { path, link, further } = one
    const from = startOfLink(me, path)
    const values = from && linkValues(link.by, from)
    const where = values && conditionOf(one, values, last)
    const limit = link.many ? MOST_OWN + 1 : 2
    const found = where === undefined ? [] : await tables.select(link.to, { where, now, limit, ...(lock ? { lock } : {}) })
    const rows = found.map(({ row }) => row)
    const own = ownOf(link, rows)
    const linked = further.length > 0 && own === rows ? await furtherFrom(tables, rows, further, now, lock) : own
    me = withLinked(me, path, linked)
  }
  return me
}

function furtherFrom(tables: Tables, rows: readonly Row[], further: readonly FurtherLink[], now: number, lock: 'share' | undefined) {
  const links = new BatchLinks(tables, now, lock)
  return links.answered(rows, (row) => withFurther(row, further, links))
}

/** The condition on the record of a link. The same condition is the same node, whose statement is found at once. */
function conditionOf(one: LinkOfMe, values: readonly Comparable[], { conditions }: LastCalls): ConditionNode {
  const before = conditions.get(one)
  if (before?.values.every((value, at) => Object.is(value, values[at]))) return before.where
  const { by, removal } = one.link
  const there = removal === undefined ? [] : [notRemoved(removal, 'record')]
  const where = allOfNode([...by.map(({ to }, at) => placeIs(to, values[at] as Comparable)), ...there])
  conditions.set(one, { values, where })
  return where
}

/** Refuses to judge by rules about a record of the person that was not read: unread must not count as missing. */
function knowing(asker: Asker, links: readonly LinkOfMe[]): Asker {
  const read = new Set(links.map(({ path }) => path.join('.')))
  const check = (type: string) => {
    const unread = linksOfMe(asker.model, [type]).find(({ path }) => !read.has(path.join('.')))
    if (unread !== undefined) throw new Error(`the rules of ${type} ask about me.${unread.path.join('.')}, which was not read`)
  }
  return {
    ...asker,
    readable(type) {
      check(type)
      return asker.readable(type)
    },
    rules(type, action) {
      check(type)
      return asker.rules(type, action)
    },
  }
}

function personal(viewpoint: InnerViewpoint): Asker {
  return {
    viewpoint,
    model: viewpoint.model,
    env: viewpoint.env,
    decideWithoutRecord: viewpoint.decideWithoutRecord,
    readable: (type) => viewpoint.rules(type, 'read').when,
    rules: viewpoint.rules,
  }
}

const YES = { when: TRUE, test: undefined }
const EVERYTHING: AskersRules = { clauses: [YES], open: YES, gate: YES, messages: [] }

/** Trusted server code: no rules. */
export function system(model: Model, clock: Clock | undefined): Person {
  const still: Asker = {
    viewpoint: undefined,
    model,
    env: viewpointOf(model, null, { now: clock }).env,
    decideWithoutRecord: () => undefined,
    readable: (type) => typeModel(model, type) && TRUE,
    rules: () => EVERYTHING,
  }
  const all: Person = { still, before: () => undefined, now: async () => still, within: () => all }
  return all
}
