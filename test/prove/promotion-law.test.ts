// Random rulebooks and records: what a person gains by a write is never proved to be impossible.
import { expect } from 'chai'
import fc from 'fast-check'
import type { Row } from 'pachter/condition'
import { promotionsBy } from 'pachter/internal/prove'
import type { Model } from 'pachter/internal/rulebook'
import { rulebookOf } from 'pachter/internal/viewpoint'
import { FIELDS, TYPES, tinyModel, tinyWorld } from '../support/tiny-worlds.js'
import { tries } from '../support/tries.js'

type Records = Readonly<Record<string, readonly Row[]>>
type View = ReturnType<ReturnType<typeof rulebookOf>['for']>

/** A write, and the records afterwards. */
interface Written {
  readonly type: string
  readonly action: 'create' | 'update' | 'delete'
  readonly key: unknown
  readonly after: Records
}

const may = (view: View, action: string, type: string, row: Row, becomes?: Row) =>
  view.verdict(action as 'read', type as never, row as never, becomes as never)
const changedTo = (row: Row, sent: Row, changed: readonly string[]) => ({
  ...row,
  ...Object.fromEntries(changed.map((name) => [name, sent[name]])),
})
const differs = (row: Row, becomes: Row) => FIELDS.some((name) => JSON.stringify(row[name]) !== JSON.stringify(becomes[name]))

/** What of a record the view lets see, change and delete. */
function allowed(view: View, type: string, row: Row, becomes: Row): ReadonlySet<string> {
  const read = may(view, 'read', type, row)
  // The key is seen wherever the record is.
  const seen = (read.fields ?? FIELDS).filter((name) => row[name] != null).map((name) => `read ${name}`)
  return new Set([
    ...(read.allowed ? ['read ', ...seen] : []),
    ...(differs(row, becomes) && may(view, 'update', type, row, becomes).allowed ? ['update '] : []),
    ...(may(view, 'delete', type, row).allowed ? ['delete '] : []),
  ])
}

/** All writes of a world that a person may make. */
function* writesOf(view: View, records: Records, sent: Row, changed: readonly string[]): Generator<Written> {
  for (const type of TYPES) {
    const rows = records[type] ?? []
    const made = { id: 'new', ...sent }
    if (may(view, 'create', type, made).allowed)
      yield { type, action: 'create', key: 'new', after: { ...records, [type]: [...rows, made] } }
    for (const row of rows) {
      const others = rows.filter((one) => one !== row)
      const becomes = changedTo(row, sent, changed)
      const key = row.id
      if (differs(row, becomes) && may(view, 'update', type, row, becomes).allowed)
        yield { type, action: 'update', key, after: { ...records, [type]: [...others, becomes] } }
      if (may(view, 'delete', type, row).allowed) yield { type, action: 'delete', key, after: { ...records, [type]: others } }
    }
  }
}

interface World {
  readonly person: readonly Row[]
  readonly thing: readonly Row[]
  readonly me: Row
  readonly sent: Row
  readonly changed: readonly string[]
}

/** The rules as the person of a world has them over some records. */
const viewOver = (model: Model, { me }: World, records: Records) =>
  rulebookOf(model).for(me as never, { records: records as never, now: new Date(0) })

/** What writes let the person do with other records that they could not do before, as in "read thing". */
function* gainedBy(model: Model, world: World, writes: readonly Written[]): Generator<string> {
  const { person, thing, sent, changed } = world
  const records: Records = { person, thing }
  const [before, later] = [viewOver(model, world, records), viewOver(model, world, (writes.at(-1) as Written).after)]
  for (const type of TYPES)
    for (const row of records[type] ?? []) {
      if (writes.some((one) => one.type === type && one.key === row.id)) continue
      const becomes = changedTo(row, sent, changed)
      const had = allowed(before, type, row, becomes)
      for (const one of allowed(later, type, row, becomes)) if (!had.has(one)) yield `${one.split(' ')[0]} ${type}`
    }
}

/** What the person of a world gains by one write, as in "update person: read thing". */
function* gainsIn(model: Model, world: World): Generator<string> {
  const { person, thing, sent, changed } = world
  const records: Records = { person, thing }
  for (const write of writesOf(viewOver(model, world, records), records, sent, changed))
    for (const gain of gainedBy(model, world, [write])) yield `${write.action} ${write.type} ${gain}`
}

/** What the person gains by two writes one after the other. */
function* gainsOfTwo(model: Model, world: World): Generator<readonly [first: Written, second: Written, gain: string]> {
  const { person, thing, sent, changed } = world
  const records: Records = { person, thing }
  for (const first of writesOf(viewOver(model, world, records), records, sent, changed))
    for (const second of writesOf(viewOver(model, world, first.after), first.after, sent, changed))
      for (const gain of gainedBy(model, world, [first, second])) yield [first, second, gain]
}

describe('proofs that no write gives its writer more', () => {
  it('never overlook what a person gains in some world', () => {
    const counts = { none: 0, found: 0, undecided: 0 }
    const worlds = fc.array(tinyWorld, { minLength: 40, maxLength: 40 })
    const law = fc.property(tinyModel, worlds, (model, all) => {
      const gained = new Map<string, World>()
      for (const world of all) for (const gain of gainsIn(model, world)) gained.set(gain, world)
      for (const [what, world] of gained) {
        const [action, type, does, to] = what.split(' ') as ['create', string, string, string]
        const found = promotionsBy(model, { type, action }, { type: to, action: does })
        const outcome = found.length === 0 ? 'none' : found.some(({ example }) => example !== undefined) ? 'found' : 'undecided'
        counts[outcome] += 1
        const told = () => JSON.stringify({ world, rules: TYPES.map((name) => model.types[name]?.rules) })
        if (outcome === 'none') expect.fail(`${what} was taken for impossible: ${told()}`)
      }
    })
    fc.assert(law, { numRuns: tries(20, 400) })
    if (process.env.SHOW) console.log(counts)
    expect(counts.found, JSON.stringify(counts)).to.be.above(20)
  })

  it('cover several writes, because what two give, one of them gives', () => {
    let [gains, ofSecond] = [0, 0]
    const worlds = fc.array(tinyWorld, { minLength: 12, maxLength: 12 })
    const law = fc.property(tinyModel, worlds, (model, all) => {
      const known = new Map<string, boolean>()
      const mayGive = ({ type, action }: Written, gain: string): boolean => {
        const [does, to] = gain.split(' ') as [string, string]
        const name = `${action} ${type} ${gain}`
        const found = known.get(name) ?? promotionsBy(model, { type, action }, { type: to, action: does }).length > 0
        known.set(name, found)
        return found
      }
      for (const world of all)
        for (const [first, second, gain] of gainsOfTwo(model, world)) {
          const isOfFirst = mayGive(first, gain)
          const told = () => JSON.stringify({ first, second, gain, world, rules: TYPES.map((name) => model.types[name]?.rules) })
          if (!isOfFirst && !mayGive(second, gain)) expect.fail(`neither write was found: ${told()}`)
          gains += 1
          if (!isOfFirst) ofSecond += 1
        }
    })
    fc.assert(law, { numRuns: tries(15, 300) })
    if (process.env.SHOW) console.log({ gains, ofSecond })
    expect(ofSecond, `of ${gains}`).to.be.above(20)
  })
})
