import { expect } from 'chai'
import fc from 'fast-check'
import { FALSE, TRUE } from 'pachter/internal/condition'
// The page is made of the source: what is compared with it has to be of the same, which knows its own constants.
import { accessMatrix, type Ground, groundOf, openProject } from 'pachter/internal/review'
import type { Model } from 'pachter/internal/rulebook'
import { projectOf } from 'pachter/review'
import { type Engine, engineOf, engineOn } from '../../cli/page/engine/index.js'
import { pack, unpack } from '../../cli/page/engine/parcel.js'
import type { Difference, Differences, Drawn, Shown, Trial } from '../../cli/page/engine/types.js'
import { book } from '../../examples/world/rulebook.js'
import { keyed, NOW } from '../support/agreement.js'
import { record as thing } from '../support/conditions.js'
import { rulebook as random, people as somebody } from '../support/rulebooks.js'
import { tries } from '../support/tries.js'
import { options, records, types, ground as world } from '../support/world.js'

const project = projectOf(book, { title: 'pachter.config.ts', people: world.people, records, now: options.now })

/** The ground as it would be, made anew. */
function groundUnder(of: Ground, { records: changed, people, off }: Trial): Ground {
  const next = Object.fromEntries(
    Object.entries(of.records).map(([type, rows]) => {
      const mine = changed.filter((one) => one.type === type)
      const left = (rows as readonly { id: string }[]).flatMap((row) => {
        const found = mine.find(({ key }) => key === row.id)
        return found === undefined ? [row] : found.record === null ? [] : [found.record as { id: string }]
      })
      const more = mine.filter(({ key, record }) => record !== null && !(rows as readonly { id: string }[]).some(({ id }) => id === key))
      return [type, [...left, ...more.map(({ record }) => record as { id: string })]]
    }),
  )
  const { model } = off.reduce((left, { type, title }) => left.without(type as never, title), of.book)
  const all = { ...of.people, ...Object.fromEntries(people.map(({ name, claims }) => [name, claims])) }
  return groundOf({ model }, { people: all, records: next, now: of.now })
}

const textOf = ({ type, person, key, action, gained, fields }: Difference) =>
  `${gained ? '+' : '-'} ${person} ${action} ${type} ${key} ${fields ?? ''}`

/** What comparing both matrices of a type, cell by cell, shows. */
function differencesBetween(old: Ground, now: Ground, type: string): string[] {
  const [was, is] = [old, now].map((of) => accessMatrix(of, type, of as never)) as [
    ReturnType<typeof accessMatrix>,
    ReturnType<typeof accessMatrix>,
  ]
  const all = Object.keys(old.model.types[type]?.fields ?? {}).filter((name) => name !== 'id')
  const fieldsOf = (of: typeof was, person: string, key: unknown, action: string) =>
    of.people.includes(person) && of.keys.includes(key as string)
      ? of
          .access(person, key as string)
          .filter((one) => one.action === action)
          .map(({ fields }) => fields ?? all)[0]
      : undefined
  return is.people.flatMap((person) => {
    const found: string[] = []
    for (const key of new Set([...was.keys, ...is.keys]))
      for (const action of was.actions) {
        const [before, after] = [was, is].map((of) => fieldsOf(of, person, key, action))
        const about = `${person} ${action} ${type} ${key}`
        if (before === undefined && after !== undefined) found.push(`+ ${about} `)
        else if (before !== undefined && after === undefined) found.push(`- ${about} `)
        else if (before !== undefined && after !== undefined && (action === 'read' || action === 'update')) {
          const [come, gone] = [after.filter((name) => !before.includes(name)), before.filter((name) => !after.includes(name))]
          if (come.length > 0) found.push(`+ ${about} ${come}`)
          if (gone.length > 0) found.push(`- ${about} ${gone}`)
        }
      }
    const [could, can] = [was, is].map((of) => (of.people.includes(person) ? of.creates(person) : 'never'))
    if (could !== can) found.push(`${could === 'never' || can === 'always' ? '+' : '-'} ${person} create ${type} undefined `)
    return found
  })
}

/** Holds what is told and shown against matrices that are made anew. */
function holdsFor(engine: Engine, was: Ground, is: Ground, told: Differences): void {
  const wanted = Object.keys(was.model.types).flatMap((type) => differencesBetween(was, is, type))
  expect(told.gained + told.lost).to.equal(wanted.length)
  if (wanted.length <= 500) expect(told.first.map(textOf).sort()).to.deep.equal(wanted.sort())
  for (const type of Object.keys(was.model.types)) {
    const matrix = accessMatrix(is, type, is as never)
    const { drawn, changes } = engine.matrix(type)
    expect([drawn.people.toSorted(), drawn.keys]).to.deep.equal([matrix.people.toSorted(), matrix.keys])
    expect(drawn.unreached.toSorted()).to.deep.equal(matrix.unreached.toSorted())
    const { names, bits: standings } = engine.standings(type)
    const marked = new Set<string>()
    for (const [at, person] of drawn.people.entries()) {
      expect(drawn.creates[at]).to.equal(matrix.creates(person))
      for (const [row, key] of drawn.keys.entries()) {
        const bits = drawn.actions.reduce((sum, action, bit) => sum | (matrix.allows(person, key, action) ? 1 << bit : 0), 0)
        expect([drawn.cells[at]?.[row], drawn.partial[at]?.[row]]).to.deep.equal([bits, Number(matrix.isPartial(person, key))])
        expect(names.filter((_, bit) => ((standings[at]?.[row] ?? 0) >> bit) & 1)).to.deep.equal(matrix.standings(person, key))
        const change = changes?.[at]?.[row] ?? 0
        for (const [bit, sign] of [
          [1, '+'],
          [2, '-'],
        ] as const)
          if (change & bit) marked.add(`${sign} ${person} ${key}`)
      }
    }
    // What is marked in the matrix is what is told.
    const there = wanted.flatMap((text) => {
      const [sign, person, , of, key] = text.split(' ')
      return of === type && drawn.keys.includes(key as string) ? [`${sign} ${person} ${key}`] : []
    })
    expect(marked, type).to.deep.equal(new Set(there))
  }
}

/** Conditions with the constants of the source. */
function own<T>(node: T): T {
  if (typeof node !== 'object' || node === null || node instanceof Date) return node
  if (Array.isArray(node)) return node.map(own) as T
  const { kind, value } = node as { kind?: string; value?: boolean }
  if (kind === 'constant') return (value ? TRUE : FALSE) as T
  return Object.fromEntries(Object.entries(node).map(([name, part]) => [name, own(part)])) as T
}

/** What is tried mostly is few things at a time: each way of working it out is for some of them only. */
const seldom = <T>(some: fc.Arbitrary<T[]>) => fc.oneof({ weight: 2, arbitrary: fc.constant<T[]>([]) }, { weight: 1, arbitrary: some })

describe('what is tried on the page', () => {
  it('gains and loses what comparing both matrices would show, whatever is changed', () => {
    const plain = JSON.parse(JSON.stringify(project))
    const engine = engineOf(plain)
    const ground = openProject(plain)
    const titles = types.flatMap((type) =>
      [...Object.values(book.model.types[type]?.rules?.may ?? {}).flat(), ...(book.model.types[type]?.rules?.vetoes ?? [])].map(
        ({ title }) => ({ type, title }),
      ),
    )
    const change = fc
      .record({
        type: fc.constantFrom(...types),
        row: fc.nat(),
        other: fc.nat(),
        field: fc.nat(),
        how: fc.constantFrom('', '', 'gone', 'new'),
      })
      .map(({ type, row, other, field, how }) => {
        const all = records[type] as { id: string; [name: string]: unknown }[]
        const one = all[row % all.length] as (typeof all)[number]
        const name = Object.keys(one)[field % Object.keys(one).length] as string
        const from = all[other % all.length] as (typeof all)[number]
        if (how === 'gone') return { type, key: one.id, record: null }
        const id = how === 'new' ? 'new-1' : one.id
        return { type, key: id, record: { ...one, ...(name in from ? { [name]: from[name] } : {}), id } }
      })
    const claimed = [
      { name: 'eve', claims: { id: 'm-01' } },
      { name: 'bram', claims: { id: 'm-05' } },
    ]
    let sent: Drawn | undefined
    let received: Shown | undefined
    fc.assert(
      fc.property(
        fc.uniqueArray(change, { maxLength: 2, selector: ({ type, key }) => `${type} ${key}` }),
        seldom(fc.subarray(titles, { minLength: 1, maxLength: 1 })),
        seldom(fc.subarray(claimed)),
        (changed, off, people) => {
          const trial = { records: changed, people, off }
          const { differences, shown } = engine.try(trial, 'plot')
          holdsFor(engine, ground, groundUnder(ground, trial), differences)
          // It comes to the page as it was sent, whatever the page had before.
          received = unpack(structuredClone(pack(shown, sent)), received?.drawn)
          expect(received).to.deep.equal(shown)
          sent = shown.drawn
        },
      ),
      { numRuns: tries(3, 8) },
    )
  })

  it('does so for random rulebooks, whose rules read other records of the type', () => {
    let [more, less] = [0, 0]
    const law = fc.property(
      random,
      somebody,
      fc.array(thing, { minLength: 4, maxLength: 6 }),
      fc.uniqueArray(fc.tuple(fc.nat(7), fc.option(thing, { freq: 3 })), { minLength: 1, maxLength: 2, selector: ([at]) => at }),
      seldom(fc.constant([{ type: 'thing', title: 'clause 0' }])),
      (any, given, unkeyed, changed, off) => {
        const { model: of } = any as { model: Model }
        const { gate, types: bare } = of
        const types = { thing: { ...bare.thing, rules: own(bare.thing?.rules) } }
        const model = { ...of, types, ...(gate ? { gate: own(gate) } : {}) } as never
        const was = groundOf({ model }, { people: given as never, records: { thing: keyed(unkeyed) as never }, now: new Date(NOW) })
        const isThere = (title: string) =>
          Object.values(was.model.types.thing?.rules?.may ?? {}).some((all) => all.some((one) => one.title === title))
        const trial: Trial = {
          records: changed.map(([at, row]) => ({ type: 'thing', key: `t-${at}`, record: row && ({ ...row, id: `t-${at}` } as never) })),
          people: [],
          off: off.filter(({ title }) => isThere(title)),
        }
        const engine = engineOn(was, { title: '', now: '', places: {} })
        const { differences } = engine.try(trial, 'thing')
        more += differences.gained
        less += differences.lost
        holdsFor(engine, was, groundUnder(was, trial), differences)
      },
    )
    fc.assert(law, { numRuns: tries(250, 300) })
    expect(Math.min(more, less), `${more} and ${less}`).to.be.greaterThan(0)
  })

  it('is nothing where it cannot be, and what is on a form comes back from it', () => {
    const engine = engineOf(JSON.parse(JSON.stringify(project)))
    expect(() => engine.try({ records: [], people: [{ name: 'eve', claims: { id: 7 } }], off: [] }, 'plot')).to.throw('id')
    expect(engine.matrix('plot').drawn.people).not.to.include('eve')
    expect(engine.try({ records: [], people: [], off: [] }, 'plot').differences).to.deep.equal({ gained: 0, lost: 0, first: [] })
    expect(() => engine.record('plot', { number: 'many' })).to.throw('needs a number')
    for (const type of types)
      for (const row of records[type] as { id: string }[]) {
        const texts = Object.fromEntries(engine.form(type, row.id).map(({ name, text, isMissing }) => [name, isMissing ? undefined : text]))
        expect(engine.record(type, texts)).to.deep.equal(row)
      }
  })
})
