import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect } from 'chai'
import type { MutantFindings } from 'pachter/internal/review'
import type { Project } from 'pachter/review'
import { BROWSER, browser } from '../support/browser.js'
import { root } from '../support/command.js'
import { type Following, follow, here, serveReview } from '../support/following.js'
import { worldFile } from '../support/sqlite.js'

const RULES = `import { rulebook } from '${root}dist/entries/pachter.js'
import { shapes } from './shapes.ts'
export const book = rulebook({ me: { shape: shapes.me, key: 'id' }, records: { bed: { shape: shapes.bed, key: 'id' } } })
  .standings({ bed: (bed, { me }) => ({ holder: bed.holderId.is(me.id) }) })
  .rules({ bed: (bed, { standing: { holder }, anyone }) => ({
    may: {
      read: [holder, anyone.provided(bed.state.is('free')).only('state')],
      update: [holder.only('crop')],
      delete: [holder.provided(bed.state.is('free'))],
    },
  }) })
`
const SHAPES = `import { z } from '${root}node_modules/zod/index.js'
const Bed = z.object({ id: z.string(), holderId: z.string(), state: z.string(), crop: z.string() })
export const shapes = { me: z.object({ id: z.string() }), bed: Bed }
`
const CONFIG = `import { book } from './rules.ts'
export default { rulebook: book, data: 'data', people: { ines: { id: 'm-1' }, bram: { id: 'm-2' } }, now: new Date('2026-06-15T09:00:00Z') }
`
const BEDS = [
  { id: 'b-1', holderId: 'm-1', state: 'let', crop: 'leek' },
  { id: 'b-2', holderId: 'm-2', state: 'free', crop: '' },
]
const EXPECTED = `pachter expectations: 1
people:
  ines:
    sees exactly: { bed: [b-1, b-2] }
`

describe('pachter review follows the files', () => {
  const folder = mkdtempSync(join(tmpdir(), 'pachter-follow-'))
  const write = (name: string, text: string) => writeFileSync(join(folder, name), text)
  const config = join(folder, 'pachter.config.ts')
  let following: Following
  before(async () => {
    for (const name of ['data', 'expectations']) mkdirSync(join(folder, name))
    write('rules.ts', RULES)
    write('shapes.ts', SHAPES)
    write('pachter.config.ts', CONFIG)
    write('data/bed.json', JSON.stringify(BEDS))
    write('expectations/beds.yaml', EXPECTED)
    following = await follow({ config }, { canSave: true, reader: here({ config }, folder) })
  })
  after(async () => {
    await following.close()
    rmSync(folder, { recursive: true })
  })

  /** Waits until the state is as wished. */
  const until = (wish: (state: ReturnType<Following['state']>) => boolean) =>
    new Promise<ReturnType<Following['state']>>((done) => {
      const look = () => {
        if (!wish(following.state())) return
        stop()
        done(following.state())
      }
      const stop = following.subscribe(look)
      look()
    })
  const project = () => JSON.parse(following.project()) as Project
  const findings = () => JSON.parse(following.findings() ?? 'null')

  it('with what was found, and what no expectation notices', async () => {
    await until(({ findings: number }) => number > 0)
    expect(project().records.bed).to.deep.equal(BEDS)
    expect(project().places.bed?.may.update?.[0]).to.deep.include({ line: 8 })
    expect(findings().expectations).to.deep.equal({ all: 1, failing: [] })
    following.weaken()
    following.weaken()
    await until(({ mutants }) => mutants === 1)
    const { all, survived } = following.mutants() as MutantFindings
    expect(all).to.be.greaterThan(survived.length)
    const step = survived.find(({ rule }) => rule.startsWith('update, holder'))
    expect(step?.cell, JSON.stringify(survived)).to.deep.include({ type: 'bed', action: 'update' })
  })

  it('keeps what there was where they cannot be read, and goes on when they can', async () => {
    const before = following.project()
    write('rules.ts', RULES.replace("bed.state.is('free')", "bed.sate.is('free')"))
    const { problem, project: number } = await until((state) => state.problem !== undefined)
    expect([problem?.includes('sate'), number, following.project() === before], problem).to.deep.equal([true, 1, true])
    write('rules.ts', RULES)
    const after = await until((state) => state.problem === undefined)
    expect([after.project, following.project() === before], 'it is what it was').to.deep.equal([1, true])
    write('rules.ts', RULES.replace(").only('state')", ").only('state', 'crop')"))
    await until((state) => state.project === 2)
    expect(following.mutants(), 'which were of other rules').to.equal(undefined)
    write('data/bed.json', JSON.stringify(BEDS.slice(1)))
    await until((state) => state.project === 3 && state.findings === 2)
    expect(findings().expectations.problem ?? findings().expectations.failing[0]?.title).to.include('b-1')
    write('expectations/beds.yaml', EXPECTED.replace('b-1, ', ''))
    await until((state) => state.findings === 3)
    expect(findings().expectations).to.deep.equal({ all: 1, failing: [] })
    for (const [name, text] of [
      ['rules.ts', RULES],
      ['data/bed.json', JSON.stringify(BEDS)],
      ['expectations/beds.yaml', EXPECTED],
    ] as const)
      write(name, text)
    await until((state) => state.problem === undefined && following.project() === before && findings().expectations.failing?.length === 0)
  })

  it('reads in a thread of its own, which knows nothing of what was there before', async () => {
    const real = await follow({ config }, { canSave: true })
    try {
      const before = real.project()
      expect(before).to.equal(following.project())
      write('rules.ts', RULES.replace(").only('state')", ')'))
      await new Promise<void>((done) => {
        const stop = real.subscribe(() => {
          if (real.project() === before) return
          stop()
          done()
        })
      })
      real.weaken()
      await new Promise<void>((done) => real.subscribe(() => real.mutants() !== undefined && done()))
      expect(real.mutants()?.all).to.be.greaterThan(0)
    } finally {
      write('rules.ts', RULES)
      await real.close()
      await until(() => following.project() === JSON.stringify(project()) && findings().expectations.failing?.length === 0)
    }
  })

  it('shows a database as it shows a folder, and writes nothing to it', async () => {
    const file = join(folder, 'world.sqlite')
    await worldFile(file)
    const [before, config] = [readFileSync(file), join(root, 'pachter.config.ts')]
    const [database, data] = await Promise.all(
      [{ config, db: `sqlite:${file}` }, { config }].map((given) => follow(given, { canSave: true })),
    )
    try {
      const [is, was] = [database, data].map((one) => JSON.parse(one?.project() ?? '') as Project)
      for (const [type, rows] of Object.entries(was?.records ?? {})) expect(is?.records[type]).to.have.deep.members([...rows])
      expect({ ...is, records: 0 }).to.deep.equal({ ...was, records: 0 })
      expect(readFileSync(file).equals(before)).to.equal(true)
    } finally {
      await Promise.all([database?.close(), data?.close()])
    }
  })

  it('is refused where there is nothing to follow', async () => {
    let message = ''
    await follow({ config: join(folder, 'elsewhere.ts') }, { canSave: true }).catch((error: Error) => {
      message = error.message
    })
    expect(message).to.include('elsewhere.ts')
  })

  if (BROWSER)
    describe('in a browser', () => {
      const open = browser()

      it('shows who gained and lost since it was opened, expectations that fail, and keeps what would notice', async () => {
        const { url, close } = await serveReview(following, 0)
        try {
          const { page, complaints } = await open(`${url}/#bed/matrix?side=findings`)
          const side = page.getByRole('complementary')
          await side.getByText('1 of 1 hold').waitFor()
          await page.getByRole('gridcell', { name: 'bram, b-1: nothing is allowed' }).waitFor()
          write('rules.ts', RULES.replace('read: [holder, ', 'read: [').replace(".provided(bed.state.is('free'))", ''))
          const tray = page.getByRole('region', { name: 'Changes since the page was opened' })
          await tray.getByRole('button', { name: 'bram: read bed b-1' }).click()
          await page.getByRole('gridcell', { name: 'bram, b-1: read some fields, gained' }).waitFor()
          await page.getByRole('gridcell', { name: 'ines, b-1: read some fields, update, lost' }).waitFor()
          await page.getByRole('button', { name: 'Findings' }).click()
          // One more save: by it alone, only the free beds are given back.
          write('rules.ts', RULES.replace('read: [holder, ', 'read: ['))
          await page.getByRole('gridcell', { name: 'bram, b-1: nothing is allowed', exact: true }).waitFor()
          await tray.getByLabel('Compare with').selectOption('by the last save')
          const last = page.getByRole('region', { name: 'Changes by the last save' })
          await last.getByRole('button', { name: '− bram: read bed b-1' }).waitFor()
          await page.getByRole('gridcell', { name: 'bram, b-1: nothing is allowed, lost' }).waitFor()
          await last.getByLabel('Compare with').selectOption('since you opened this page')
          await page.getByRole('gridcell', { name: 'bram, b-1: nothing is allowed', exact: true }).waitFor()
          expect(await tray.getByText('bram: read bed b-1').count()).to.equal(0)
          write('rules.ts', RULES.replace('read: [holder, ', 'read: [').replace(".provided(bed.state.is('free'))", ''))
          await page.getByRole('gridcell', { name: 'bram, b-1: read some fields, gained' }).waitFor()
          await tray.getByRole('button', { name: 'Reset comparison' }).click()
          await page.getByRole('gridcell', { name: 'ines, b-1: read some fields, update', exact: true }).waitFor()
          expect(await tray.count()).to.equal(0)
          write('rules.ts', RULES.replace("anyone.provided(bed.state.is('free'))", "anyone.provided(bed.state.is('let'))"))
          await side.getByRole('button', { name: 'ines sees exactly bed: b-1, b-2' }).click()
          await page.getByRole('heading', { name: 'ines and bed b-2' }).waitFor()
          // The rules are asked once the cell is open.
          await side.getByText('rules.ts').first().waitFor()
          write('rules.ts', 'export const')
          await page.getByRole('alert').getByText('The files cannot be loaded').waitFor()
          write('rules.ts', RULES)
          await page.getByRole('alert').waitFor({ state: 'detached' })
          await page.getByRole('button', { name: 'Findings' }).click()
          await side.getByText('1 of 1 hold').waitFor()
          await side.getByRole('button', { name: 'Run mutation check' }).click()
          await side.getByText('mutants:').waitFor()
          await side.getByRole('button', { name: 'Save as expectation' }).first().click()
          await side.getByText('saved to').first().waitFor()
          await side.getByText('2 of 2 hold').waitFor()
          // The rules are as they were, and so is what was found of them: the next can be kept.
          await side.getByRole('button', { name: 'Save as expectation' }).first().click()
          await side.getByText('3 of 3 hold').waitFor()
          expect(readFileSync(join(folder, 'expectations/saved.yaml'), 'utf8')).to.include('bed')
          expect(complaints.filter((what) => !what.startsWith(`asked for ${url}`))).to.deep.equal([])
          await close()
          await page.getByText('The pachter review command has stopped').waitFor()
          expect(existsSync(join(folder, 'saved.yaml'))).to.equal(false)
        } finally {
          await close().catch(() => {})
        }
      })
    })
  else it('its page is left out without a browser; to include it: PACHTER_TEST_BROWSER=/usr/bin/chromium npm test')
})
