import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect } from 'chai'
import fc from 'fast-check'
import { accessMatrix, baselineOf, driftBetween } from 'pachter/review'
import { baselineText, readBaseline } from 'pachter-cli/files'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'
import { keyed, NOW } from '../support/agreement.js'
import { runs, within } from '../support/command.js'
import { record } from '../support/conditions.js'
import { rulebook, people as somebody } from '../support/rulebooks.js'
import { tries } from '../support/tries.js'
import { options, records, types } from '../support/world.js'

const baseline = baselineOf(book, options)
const text = baselineText(baseline)

describe('a kept baseline', () => {
  it('is read back as it was, whatever the rules, people and keys', () => {
    const back = readBaseline(text, 'b', book.model)
    expect(JSON.parse(JSON.stringify(back.access))).to.deep.equal(JSON.parse(JSON.stringify(baseline.access)))
    fc.assert(
      fc.property(
        rulebook,
        somebody,
        fc.uniqueArray(fc.string(), { minLength: 1, maxLength: 6 }),
        fc.array(record, { minLength: 6, maxLength: 6 }),
        (random, given, keys, rows) => {
          const thing = keyed(rows.slice(0, keys.length)).map((row, at) => ({ ...row, id: ['__proto__', '1', 'null'][at] ?? keys[at] }))
          const kept = baselineOf(random, { people: given as never, records: { thing }, now: new Date(NOW) })
          const { model } = random as { model: never }
          const again = readBaseline(baselineText(kept), 'b', model)
          expect(baselineText(again)).to.equal(baselineText(kept))
          const { gained, lost, onlyAfter, onlyBefore } = driftBetween(kept, again, model)
          expect([gained, lost, onlyAfter.records, onlyBefore.records]).to.deep.equal([[], [], [], []])
        },
      ),
      { numRuns: tries(40, 100) },
    )
  })

  it('tells what was lost with a clause, and by going back what was gained', () => {
    let told = 0
    for (const type of types)
      for (const { title } of book.model.types[type]?.rules?.may.read ?? []) {
        const less = book.without(type, title)
        const after = baselineOf(less, options)
        const { gained, lost } = driftBetween(baseline, after, book.model)
        expect(gained, title).to.deep.equal([])
        for (const change of lost) expect(change.by).not.to.deep.equal([])
        const of = lost.filter((change) => change.type === type && change.action === 'read' && change.fields === undefined)
        const [was, is] = [book, less].map((one) => accessMatrix(one as typeof book, type, options))
        const gone = was?.people.flatMap((name) =>
          was
            .reached(name, 'read')
            .filter((key) => !is?.allows(name, key, 'read'))
            .map((key) => `${name} ${key}`),
        )
        expect(of.map(({ person, key }) => `${person} ${key}`).sort()).to.deep.equal(gone?.sort())
        const back = driftBetween(after, baseline, book.model)
        expect(back.lost).to.deep.equal([])
        expect(back.gained.map(({ key, person, action, fields }) => [key, person, action, fields])).to.deep.equal(
          lost.map(({ key, person, action, fields }) => [key, person, action, fields]),
        )
        told += lost.length
      }
    expect(told).to.be.greaterThan(100)
  })

  it('tells fields, and who may create', () => {
    const more = baselineOf(book.without('plot', 'warden; all but rentDue'), options)
    const { lost } = driftBetween(baseline, more, book.model)
    expect(lost.find(({ person, key, action }) => person === 'tomasz' && key === 'p-01' && action === 'update')?.by).to.deep.equal([
      'warden; all but rentDue',
    ])
    const guest = driftBetween(baseline, baselineOf(book.without('plot', 'holder; all but wardenNotes'), options), book.model)
    expect(guest.lost.some(({ fields }) => fields?.includes('rentDue'))).to.equal(false)
    const title = book.model.types.plot?.rules?.may.create[0]?.title as string
    const { creates } = driftBetween(baseline, baselineOf(book.without('plot', title), options), book.model)
    expect(creates).to.deep.include({ type: 'plot', person: 'tomasz', before: 'depending', after: 'never' })
  })

  it('names records and people that only one of them speaks of', () => {
    const { ines: _, ...others } = people
    const after = baselineOf(book, { ...options, people: others as never, records: { ...records, plot: (records.plot ?? []).slice(1) } })
    const { onlyBefore, onlyAfter, gained } = driftBetween(baseline, after, book.model)
    expect(onlyBefore.people).to.include('ines')
    expect(onlyBefore.records).to.deep.equal(['plot p-01'])
    expect([onlyAfter.people, onlyAfter.records, gained]).to.deep.equal([[], [], []])
  })

  const BAD: readonly [what: string, text: string, says: RegExp][] = [
    ['is empty', '', /is not a baseline/],
    ['is of another version', text.replace('baseline: 2', 'baseline: 9'), /is not a baseline of this version/],
    ['has no rules', text.replace(/\nrules:[\s\S]*\nentries/, '\nentries'), /has no rules/],
    ['lost its end', text.slice(0, text.indexOf('m-03:')), /b: is incomplete|b, line \d+/],
    ['ends in the middle of a line', text.slice(0, 900), /b, line \d+|is incomplete/],
    ['lacks an entry', text.replace(/\n {8}bram: .*/, ''), /is incomplete/],
    ['has a key twice', text.replace('    m-02:', '    m-01:'), /b, line \d+: Map keys must be unique/],
    ['knows another record type', text.replace('\n  plot:', '\n  plit:'), /b, line \d+: the rulebook has no record type "plit"/],
    ['knows another action', text.replace('      read:', '      raed:'), /b, line 1\d: member has no action "raed"/],
    ['has an entry of another form', text.replace(/bram: \{.*\}/, 'bram: yes'), /b, line \d+: a person needs/],
  ]
  for (const [what, odd, says] of BAD)
    it(`that ${what} is refused`, () => {
      expect(() => readBaseline(odd, 'b', book.model))
        .to.throw(says)
        .with.property('code', 'BAD_BASELINE')
    })
})

describe('pachter drift', () => {
  const folder = mkdtempSync(join(tmpdir(), 'pachter-'))
  const file = join(folder, 'base.yaml')
  after(() => rmSync(folder, { recursive: true }))

  runs('drift', 0, 'No changes in access since pachter.baseline.yaml was saved. The rules are the same.', 'Not compared: ')
  runs(`drift --file ${file}`, 2, 'Save one with pachter drift --save')
  runs(`drift --file ${folder}/nowhere/base.yaml --save`, 2, 'cannot be written')

  it('keeps the access of now, and tells what it came to since', async () => {
    expect(await within(`drift --save --file ${file}`)).to.include({ status: 0 })
    const kept = readFileSync(file, 'utf8')
    expect((await within(`drift --save --at 2026-06-15T10:00:00Z --file ${file}`)).stdout).to.include('is up to date already')
    expect(readFileSync(file, 'utf8')).to.equal(kept)
    const told = await within(`drift --at 2025-06-01 --file ${file}`)
    expect(told.status).to.equal(1)
    expect(told.stdout)
      .to.match(/Widened: 9\n.*\n\+ +odile +read +plot p-01/)
      .and.to.match(/Narrowed: 30\n.*\n- +ines bram odile and 6 more +read +notice n-01 n-03 n-04/)
    expect(told.stdout).to.include('pachter why read plot p-01 --for odile')
    const { gained, lost } = JSON.parse((await within(`drift --at 2025-06-01 --format json --file ${file}`)).stdout)
    expect([gained.length, lost.length]).to.deep.equal([9, 30])
    writeFileSync(file, kept.slice(0, 2000))
    const broken = await within(`drift --file ${file}`)
    expect(broken).to.include({ status: 2, stdout: '' })
    expect(readFileSync(file, 'utf8'), 'nothing was overwritten').to.equal(kept.slice(0, 2000))
  })
})
