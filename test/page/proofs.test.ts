import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect } from 'chai'
import type { ProofFindings } from 'pachter/internal/review'
import { accessFaults, BROWSER, browser } from '../support/browser.js'
import { root } from '../support/command.js'
import { type Following, follow, here, serveReview } from '../support/following.js'

// A harbour: berths with their keepers, and members who may give themselves any role.
const RULES = `import { rulebook, toOne } from '${root}dist/entries/pachter.js'
import { z } from '${root}node_modules/zod/index.js'
const shapes = {
  me: z.object({ id: z.string() }),
  sailor: z.object({ id: z.string(), ranks: z.array(z.string()) }),
  berth: z.object({ id: z.string(), keeperId: z.string(), fee: z.number() }),
}
export const book = rulebook({
  me: { shape: shapes.me, key: 'id', links: { sailor: toOne('sailor', 'id') }, roles: (me) => me.sailor.ranks },
  records: { sailor: { shape: shapes.sailor, key: 'id' }, berth: { shape: shapes.berth, key: 'id' } },
})
  .standings({
    sailor: (sailor, { me }) => ({ oneself: sailor.id.is(me.id) }),
    berth: (berth, { me }) => ({ keeper: berth.keeperId.is(me.id) }),
  })
  .rules({
    sailor: (_sailor, { standing: { oneself } }) => ({ may: { read: [oneself], update: [oneself.only('ranks')] } }),
    berth: (_berth, { standing: { keeper }, role }) => ({
      may: { read: [keeper, role('master')], update: [keeper.only('fee'), role('master')] },
    }),
  })
  .guarantees({ berth: (_berth, { role }) => [{ never: 'update', fields: ['fee'], unless: role('master'), titled: 'masters set fees' }] })
`
const MENDED = RULES.replace("keeper.only('fee'), ", '')
const CONFIG = `import { book } from './rules.ts'
export default { rulebook: book, data: 'data', people: { mira: { id: 's-1' } }, now: new Date('2026-06-15T09:00:00Z') }
`

describe('the proofs of pachter review', () => {
  const folder = mkdtempSync(join(tmpdir(), 'pachter-proofs-'))
  const config = join(folder, 'pachter.config.ts')
  const write = (name: string, text: string) => writeFileSync(join(folder, name), text)
  let following: Following
  before(async () => {
    mkdirSync(join(folder, 'data'))
    write('rules.ts', RULES)
    write('pachter.config.ts', CONFIG)
    write('data/sailor.json', JSON.stringify([{ id: 's-1', ranks: [] }]))
    write('data/berth.json', JSON.stringify([{ id: 'b-1', keeperId: 's-1', fee: 3 }]))
    following = await follow({ config }, { canSave: true, reader: here({ config }, folder) })
  })
  after(async () => {
    await following.close()
    rmSync(folder, { recursive: true })
  })

  const proofs = () => JSON.parse(following.proofs() ?? '{"parts":[],"statements":[]}') as ProofFindings
  const outcomes = () => proofs().statements.map(({ type, title, outcome }) => `${outcome} ${type}: ${title}`)
  const until = (wish: () => boolean) =>
    new Promise<void>((done) => {
      const look = () => {
        if (!wish()) return
        stop()
        done()
      }
      const stop = following.subscribe(look)
      look()
    })
  const kinds = () => proofs().parts.map(({ kind }) => kind)

  it('are the guarantees at first, and all of it on request, which a change of records leaves as it is', async () => {
    await until(() => following.proofs() !== undefined)
    expect(kinds()).to.deep.equal(['guarantee'])
    expect(outcomes()).to.deep.equal(['refuted berth: masters set fees'])
    const [{ example }] = proofs().statements as [ProofFindings['statements'][number]]
    expect(example?.cell).to.deep.include({ type: 'berth', action: 'update' })
    expect(example?.people).to.have.property('visitor', null)
    following.prove()
    following.prove()
    await until(() => following.state().proving === undefined)
    expect(kinds()).to.deep.equal(['guarantee', 'self-promotion', 'idle-rule'])
    expect(outcomes().join('\n')).to.match(/refuted sailor: update by "oneself; only ranks", and then (read|update) berth/)
    const { project } = following.state()
    write('data/berth.json', '[]')
    await until(() => following.state().project > project)
    await until(() => following.findings() !== undefined)
    expect(kinds()).to.have.length(3)
  })

  it('are judged again where a guarantee alone has changed', async () => {
    const before = following.project()
    write('rules.ts', RULES.replace("titled: 'masters set fees'", "titled: 'fees are set by masters'"))
    await until(() => outcomes()[0] === 'refuted berth: fees are set by masters')
    expect(following.project()).to.equal(before)
    expect(kinds(), 'the rest is asked again on request').to.deep.equal(['guarantee'])
    write('rules.ts', RULES)
    await until(() => outcomes()[0] === 'refuted berth: masters set fees')
  })

  if (BROWSER)
    describe('in a browser', () => {
      const open = browser()

      it('open an example in place of the records, which tells when the rules are mended', async () => {
        const { url, close } = await serveReview(following, 0)
        try {
          const { page, complaints } = await open(`${url}/#sailor/matrix?side=proofs`)
          const side = page.getByRole('complementary')
          await side.getByText('masters set fees').waitFor()
          await side.getByRole('button', { name: 'Prove the rest' }).click()
          const promotion = side.getByRole('region', { name: 'Self-promotion' })
          await promotion.getByText('Self-promotion, by one write').waitFor()
          for (const dark of [false, true]) {
            await page.emulateMedia({ colorScheme: dark ? 'dark' : 'light' })
            expect(await accessFaults(page, dark)).to.deep.equal([])
          }
          await promotion.getByRole('button', { name: 'Open example' }).first().click()
          await page.getByRole('region', { name: 'Trial' }).getByText('gained').waitFor()
          await page.getByText('Example, made up: sailor').waitFor()
          expect(await accessFaults(page)).to.deep.equal([])
          await page.getByRole('button', { name: 'Show proofs' }).click()
          await side.getByRole('region', { name: 'Guarantees' }).getByRole('button', { name: 'Open example' }).click()
          const cell = (does: string) => page.getByRole('gridcell', { name: new RegExp(`^[^:]+, [^:]+: ${does}$`) }).first()
          await cell('read, update').waitFor()
          await side.getByText('keeper; only fee').first().waitFor()
          write('rules.ts', MENDED)
          await cell('read').waitFor()
          await page.goBack()
          await page.getByRole('gridcell', { name: 'mira, s-1: read, update' }).waitFor()
          expect(await page.getByText('Example, made up').count()).to.equal(0)
          await side.getByText('Guarantees: 1 proved').waitFor()
          expect(complaints.filter((what) => !what.startsWith(`asked for ${url}`))).to.deep.equal([])
        } finally {
          write('rules.ts', RULES)
          await close()
        }
      })
    })
  else it('their page is left out without a browser; to include it: PACHTER_TEST_BROWSER=/usr/bin/chromium npm test')
})
