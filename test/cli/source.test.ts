import { mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect } from 'chai'
import { rulebookFromJson, rulebookToJson } from 'pachter/json'
import { sourcePlaces } from '../../cli/src/source/source.js'
import { book } from '../../examples/world/rulebook.js'
import * as shapes from '../../examples/world/shapes.js'
import { root, runs } from '../support/command.js'

const read = (file: string) => readFileSync(file, 'utf8')

/** Each line that is to be found names what is there: `// = plot read 0`. */
const BOOK = `import { rulebook } from 'pachter'
import { z } from 'zod'
import { entryRules } from './entry'
import { draft } from './draft'

/* rules({ plot: () => ({ may: { read: [] } }) }) is not it, nor is what a text says: */
const decoy = "rules({ plot: [ '" + \`\${'rules({'}\` + /rules\\(\\{[/"']/.source
const common = (plot: any, { me }: any) => [plot.holderId.is(me.id)] // = job read 0

export default draft
  .standings({
    plot: (plot, { me }) => ({
      /* holder: */ holder: plot.holderId.is(me.id), // = plot standing holder
      'odd': plot.state.is('a, b'), // = plot standing odd
    }),
    entry(entry, { me }) {
      const mine = entry.holderId.is(me.id)
      return { author: mine, reader: mine.or(entry.state.is('}')) } // = entry standing reader
    },
  })
  .standings({ plot: (plot, { standing: { holder, odd } }) => ({ later: holder.or(odd) }) }) // = plot standing later
  .routines({
    handOver: ({ me }) => [me.id.is('m-01')], // = routines handOver
  })
  .rules({
    plot: (plot, { standing: { holder, later }, anyone }) => {
      const vacant = plot.state.is('vacant')
      return {
        may: {
          read: [
            holder, // = plot read 0
            // holder,
            anyone.provided(vacant).only('state', 'id'), // = plot read 1
            later
              .except('state'), // = -
          ],
          'delete': [holder, later], // = plot delete 1
        },
        vetoes: [
          { actions: ['delete'], provided: plot.state.is('let'), message: 'No, it is let.' }, // = plot veto 0
          {
            // = -
            actions: ['delete'], provided: vacant, message: '}],', // = -
          },
        ],
      }
    },
    entry: entryRules,
    job: (job, words) => ({
      may: {
        read: [...common(job, words), job.state.is('x').and(words.me.id.is('y'))].map((one) => words.anyone.provided(one)), // = job read 1
      },
    }),
  })
  .privileges({ openLedger: ({ me }) => [me.id.is('m-01')] }) // = privileges openLedger
`
const DRAFT = `import { rulebook } from 'pachter'
import { z } from 'zod'
const Thing = z.object({ id: z.string(), holderId: z.string(), state: z.string() })
const type = { shape: Thing, key: 'id' } as const
export const draft = rulebook({ me: { shape: z.object({ id: z.string() }), key: 'id' }, records: { plot: type, entry: type, job: type } })
`
const ENTRY = `import { draft } from './draft'
export const entryRules = draft.rulesOf('entry', (entry, { me, anyone }) => ({
  may: {
    read: [
      anyone.provided(entry.holderId.is(me.id)),
      anyone.provided(entry.state.is('open')), // = entry read 1
    ],
  },
}))
`

describe('places in the source', () => {
  let folder = ''
  before(() => {
    folder = mkdtempSync(join(tmpdir(), 'pachter-'))
    mkdirSync(join(folder, 'node_modules'))
    symlinkSync(root, join(folder, 'node_modules/pachter'))
    symlinkSync(join(root, 'node_modules/zod'), join(folder, 'node_modules/zod'))
    for (const [name, text] of Object.entries({ book: BOOK, draft: DRAFT, entry: ENTRY })) writeFileSync(join(folder, `${name}.ts`), text)
  })
  after(() => rmSync(folder, { recursive: true }))

  it('are found however the rules are written out', async () => {
    const { default: loaded } = (await import(join(folder, 'book.ts'))) as { default: typeof book }
    const places = sourcePlaces(loaded.model, read)
    const placeOf = (what: string) => {
      const [type = '', kind = '', name = ''] = what.split(' ')
      if (type === 'routines' || type === 'privileges') return places.grant(type, kind)
      if (kind === 'standing') return places.standing(type, name)
      if (kind === 'veto') return places.veto(type, Number(name))
      return places.clause(type, kind, Number(name))
    }
    const wanted = { book: BOOK, entry: ENTRY }
    for (const [name, text] of Object.entries(wanted))
      for (const [at, line] of text.split('\n').entries()) {
        const what = / = (\w+ .*)$/.exec(line)?.[1]
        // Made elsewhere, and put together in the list: there it is.
        if (what === undefined || what === 'job read 0') continue
        expect(placeOf(what), what).to.deep.equal({ file: join(folder, `${name}.ts`), line: at + 1 })
      }
    const whole = placeOf('plot read 2')
    expect(whole?.line).to.equal(BOOK.split('\n').findIndex((line) => line.trim() === 'later') + 1)
    expect(placeOf('plot veto 1')?.line).to.equal((placeOf('plot veto 0')?.line ?? 0) + 1)
    expect(placeOf('job read 0')?.line, 'the list as a whole').to.equal(placeOf('job read 1')?.line)
    expect(placeOf('plot update 0')?.line, 'what is not there: the rules').to.be.a('number')
  })

  it('of the demo world: every clause stands on a line of its type, by a word of its title', () => {
    const places = sourcePlaces(book.model, read)
    let found = 0
    for (const [type, { rules }] of Object.entries(book.model.types))
      for (const [action, clauses] of Object.entries(rules?.may ?? {}))
        for (const [number, { title }] of clauses.entries()) {
          const { file = '', line = 0 } = places.clause(type, action, number) ?? {}
          expect(read(file).split('\n')[line - 1], `${type} ${action} ${title}`).to.include(/^\w+/.exec(title)?.[0])
          found++
        }
    expect(found).to.be.greaterThan(60)
  })

  it('are unknown for a rulebook from JSON', () => {
    const again = rulebookFromJson(rulebookToJson(book), { me: shapes.Session, records: shapesByType() })
    expect(sourcePlaces(again.model, read).clause('plot', 'read', 0)).to.equal(undefined)
    expect(sourcePlaces(book.without('plot', 'warden').model, read).clause('plot', 'read', 0)).to.have.property('line')
  })

  runs('why read plot p-03 --for yuki', 0, /Allowed by this read clause \(examples\/world\/rulebook\.ts:\d+\):/)
  runs('why update plot p-03 --for bram --format json', 0, /"place": \{\s+"file": "examples\/world\/rulebook\.ts",\s+"line": \d+/)
})

function shapesByType() {
  const { Member: member, Site: site, Team: team, Plot: plot, Share: share, Entry: entry, Remark: remark } = shapes
  const { Job: job, Notice: notice, Inspection: inspection, Invoice: invoice } = shapes
  return { member, site, team, plot, share, entry, remark, job, notice, inspection, invoice }
}
