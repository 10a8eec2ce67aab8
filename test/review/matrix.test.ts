import { expect } from 'chai'
import fc from 'fast-check'
import { indexed } from 'pachter'
import { simplify } from 'pachter/condition'
import { recordSets } from 'pachter/internal/review'
import { accessMatrix, accessReport } from 'pachter/review'
import { inMemory, openStore } from 'pachter/store'
import { today } from '../../examples/world/open.js'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'
import { cases, held, keyed, NOW } from '../support/agreement.js'
import { runs, within } from '../support/command.js'
import { record } from '../support/conditions.js'
import { rulebook, people as somebody } from '../support/rulebooks.js'
import { tries } from '../support/tries.js'
import { records, types } from '../support/world.js'

const everybody: { readonly [name: string]: { id: string; email: string } | null } = { ...people, visitor: null }

describe('the access matrix', () => {
  it('selects by sets what a condition selects record by record', () => {
    fc.assert(
      fc.property(...cases, (nodes, me, unkeyed) => {
        const rows = keyed(unkeyed)
        const sets = recordSets({ thing: rows }, NOW)
        for (const node of nodes) {
          const { words } = sets.where('thing', simplify(node, me))
          const found = rows.filter((_, at) => (((words[at >>> 5] ?? 0) >>> (at & 31)) & 1) === 1)
          expect(found.map(({ id }) => id)).to.deep.equal(held(rows, node, me))
        }
      }),
      { numRuns: tries(30, 250) },
    )
  })

  it('gives by sets what asking cell by cell does: random rulebooks', async () => {
    await fc.assert(
      fc.asyncProperty(rulebook, somebody, fc.array(record, { minLength: 1, maxLength: 40 }), async (random, given, unkeyed) => {
        const rows = keyed(unkeyed)
        const options = { people: given as never, records: { thing: rows }, now: new Date(NOW) }
        const matrix = accessMatrix(random, 'thing', options)
        const store = openStore(random as never, inMemory({ thing: rows as never }), { now: new Date(NOW) }) as any
        for (const [name, me] of Object.entries(given)) {
          const seen = await store.for(me).list('thing', { sort: ['id'] })
          expect(matrix.reached(name, 'read').sort()).to.deep.equal(seen.map(({ id }: { id: string }) => id).sort())
          for (const action of ['update', 'delete'])
            for (const key of seen.map(({ id }: { id: string }) => id).slice(0, 5))
              expect(matrix.allows(name, key, action), `${name} ${action} ${key}`).to.equal(
                (await store.for(me).verdict(action, 'thing', key)).allowed,
              )
        }
      }),
      { numRuns: tries(15, 100) },
    )
  })

  it('gives the verdicts of the demo world, with clauses and fields', () => {
    let allowed = 0
    for (const type of types) {
      const matrix = accessMatrix(book, type, { people: everybody, records, now: today })
      for (const [name, me] of Object.entries(everybody)) {
        const view = book.for(me as never, { now: today, records: indexed(records) as never })
        for (const row of records[type] ?? []) {
          const access = matrix.access(name, row.id)
          for (const action of matrix.actions) {
            const verdict = view.verdict(action as 'read', type, row as never)
            const cell = access.find((one) => one.action === action)
            expect(matrix.allows(name, row.id, action), `${name} ${action} ${row.id}`).to.equal(verdict.allowed)
            expect(cell?.clauses[0], `${name} ${action} ${row.id}`).to.equal(verdict.clause)
            expect(cell?.fields).to.deep.equal(verdict.fields)
            if (action === 'read') expect(matrix.isPartial(name, row.id)).to.equal(verdict.fields !== undefined)
            allowed += Number(verdict.allowed)
          }
        }
        for (const action of matrix.actions) {
          expect(matrix.count(name, action)).to.equal(matrix.reached(name, action).length)
          expect(matrix.keys.filter((key) => matrix.allows(name, key, action))).to.deep.equal(matrix.reached(name, action))
        }
        expect(matrix.creates(name)).to.equal(view.may('create', type))
      }
      for (const key of matrix.keys)
        expect(matrix.countOf(key, 'read')).to.equal(matrix.people.filter((name) => matrix.allows(name, key, 'read')).length)
    }
    expect(allowed).to.be.greaterThan(500)
  })

  it('names the standings, and the records on which no person has one', () => {
    const matrix = accessMatrix(book, 'plot', { people: { ines: people.ines, bram: people.bram, visitor: null }, records, now: today })
    expect(matrix.standings('bram', 'p-01')).to.deep.equal(['guest', 'helper'])
    expect(matrix.standings('visitor', 'p-01')).to.deep.equal([])
    for (const key of matrix.keys)
      expect(matrix.unreached.includes(key)).to.equal(matrix.people.every((name) => matrix.standings(name, key).length === 0))
    expect(matrix.unreached).to.include('p-05').and.not.include('p-01')
  })

  it('says which name is unknown', () => {
    const matrix = accessMatrix(book, 'plot', { people: everybody, records, now: today })
    const calls = [
      [() => matrix.allows('inez', 'p-01', 'read'), 'Did you mean "ines"'],
      [() => matrix.allows('ines', 'p-91', 'read'), 'p-91'],
      [() => matrix.count('ines', 'create'), 'create'],
      [() => accessMatrix(book, 'plit', { people: everybody, records }), 'Did you mean "plot"'],
      [() => accessMatrix(book, 'plot', { people: everybody, records, actions: ['raed'] }), 'Did you mean "read"'],
    ] as const
    for (const [call, words] of calls) expect(call).to.throw(words).with.property('code', 'UNKNOWN_NAME')
  })
})

describe('the report', () => {
  const page = async (type: string) => (await within(`matrix ${type} --format html`)).stdout
  it('is one self-contained page that names the clauses behind each cell', async () => {
    const html = await page('')
    expect(html).not.to.match(/https?:|src=|<link|@import|url\(/)
    for (const type of types) expect(html).to.include(`<section data-type="${type}">`)
    const texts = JSON.parse(/<script type="application\/json" id="texts">(.*)<\/script>/.exec(html)?.[1] ?? '')
    const plots = await page('plot')
    const cells = [...plots.matchAll(/<td class="(\w+)(?: partial)?"/g)].map(([, kind]) => kind).filter((kind) => kind !== 'sum')
    const matrix = accessMatrix(book, 'plot', {
      people: { ...everybody, unknown: { id: 'x', email: 'x@elsewhere.example' } },
      records,
      now: today,
    })
    expect(cells.filter((kind) => kind !== 'none')).to.have.length(matrix.people.reduce((sum, name) => sum + matrix.count(name, 'read'), 0))
    expect(texts).to.include('read (number, siteId, state), by: anyone, provided the plot\'s state is "vacant"; only number, siteId, state')
    // Its script is one that an engine takes.
    expect(() => new Function(/<script>([\s\S]*)<\/script>/.exec(html)?.[1] ?? '(')).not.to.throw()
  })

  it('takes no markup from data', () => {
    const odd = '</script><img src=x onerror="alert(1)">'
    const model = { ...book.model, types: { ...book.model.types } }
    const matrix = accessMatrix({ model }, 'plot', {
      people: { [odd]: null },
      records: { ...records, plot: [{ ...(records.plot?.[5] as object), id: odd }] },
      now: today,
    })
    const html = accessReport([matrix], { now: today, title: odd })
    expect(html).not.to.include('<img')
    expect(html.match(/<\/script>/g)).to.have.length(2)
  })
})

describe('the commands that show it', () => {
  runs('matrix', 0, /plot +read +2 +5 .*12\n/, /confirm .* 2 /)
  runs('matrix plot', 0, /p-01 +◐u +◐u +· +●u/, /update: u +1 +2/, /create +· .*\?/, 'read some fields')
  runs('matrix plot --for ines --for visitor', 0, /p-06 +◐ +◐ +2/, /No person has a standing on 11 of 12/)
  runs('matrix plot --standing helper --for bram', 0, /^plot +bram +people\np-01 +◐u +1\n\n/, /update: u +1\n/)
  runs('matrix entry --changes --for ines', 0, /e-01 +ud/, 'update: u')
  runs('matrix plot --fields --for farah', 0, /farah +read +all 12 +all but wardenNotes/, /update +10: p-01 .* rentDue/)
  runs('matrix plot --clauses --for bram', 0, /bram +read +p-01 p-10 +guest; /, /bram +update +p-02 +holder; only planting/)
  runs('matrix plot --fields --clauses --for ines', 0, /ines +update +p-01 +planting +holder; only planting/)
  runs('matrix plot --format csv --for ines', 0, 'person,plot,action,clauses,fields\nines,p-01,read,holder; all but wardenNotes,')
  runs('matrix plot --format markdown --for ines', 0, '| p-01 | ◐u |')
  runs('matrix inspection --action confirm', 0, /confirm: c/)
  runs('matrix --action confirm --format csv', 0, 'inspection,confirm,')
  runs('matrix --format markdown', 0, '| type | action | ines |')
  runs('matrix plot --format html --fields', 2, 'cannot be used with')
  runs('matrix --format html --action raed', 2, 'no record type has this action')
  runs('matrix plot --for system', 2, 'Name people')
  runs('matrix plot --standing bogus', 2, 'holder, guest')
  runs('matrix plot --action raed', 2, 'Did you mean "read"')
  runs('matrix --action raed', 2, 'no record type has this action')
  runs('matrix --fields', 2, 'need a record type')
  runs('matrix --clauses', 2, 'need a record type')
  runs('matrix plit', 2, 'Did you mean "plot"')
  runs('who plot p-01', 0, /ines +holder +read +all but wardenNotes/, /tomasz +warden +read +all/, 'Not for: odile')
  runs('who plot p-01 --format csv', 0, 'person,action,clauses,fields,standings\nines,read,')
  runs('who invoice v-01 --for visitor', 0, 'Nobody can reach invoice v-01, except the system.')
  runs('who plot p-91', 2, 'no plot p-91')
  runs('who plit p-01', 2, 'Did you mean "plot"')

  it('say the same in JSON', async () => {
    const { people: of, unreached } = JSON.parse((await within('matrix plot --format json')).stdout)
    const bram = of.find(({ name }: { name: string }) => name === 'bram')
    expect(bram.may).to.deep.equal({ read: 5, update: 2, delete: 0 })
    expect(bram.records[0]).to.deep.include({ key: 'p-01', standings: ['guest', 'helper'] })
    expect(unreached).to.deep.equal([])
    const who = JSON.parse((await within('who plot p-01 --format json')).stdout)
    expect(who.people.map(({ name }: { name: string }) => name)).to.deep.equal(['ines', 'bram', 'tomasz', 'farah', 'kofi'])
    expect(JSON.parse((await within('matrix --format json --for ines')).stdout)[0]).to.deep.equal({
      type: 'member',
      action: 'read',
      of: 12,
      people: { ines: 5 },
    })
  })
})
