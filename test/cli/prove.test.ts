import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect } from 'chai'
import type { Result } from 'sarif'
import { pachter, root, runs, within } from '../support/command.js'

describe('pachter prove', () => {
  describe('on the demo world', () => {
    runs('prove --only guarantees', 0, 'Guarantees: 25 proved, for every person and all records.', '✔ plot: only the treasurer sets a rent')
    runs('prove --only idle-rules', 0, 'Of 82 rules, each makes a difference for someone.')
    runs('prove --only guarantees,site', 0, '1 proved', '✔ site: nobody updates a site, unless role secretary')
    runs('prove --only plott', 2, 'Did you mean "plot"?')
    runs('prove --only guarantees --format junit', 0, '<testsuites name="pachter prove" tests="25" failures="0">')
    runs(
      'prove --only self-promotion,share,team',
      0,
      '✔ team: update by "role secretary", and then read job; update job\n    accepted: The secretary makes up the teams.',
      'Self-promotion, by one write: of 192 ways, 188 proved to give nothing, 4 accepted.',
    )
    runs('prove --only guarantees --format markdown', 0, '| proved | plot | only the treasurer sets a rent |')
    runs('drift --for-everyone', 2, 'name their revisions')
  })

  describe('on a rulebook that breaks a guarantee', () => {
    let folder = ''
    before(() => {
      mkdirSync(join(root, 'tmp'), { recursive: true })
      folder = mkdtempSync(join(root, 'tmp', 'prove-'))
      mkdirSync(join(folder, 'data'))
      writeFileSync(
        join(folder, 'pachter.config.ts'),
        `import { rulebook, toMany } from 'pachter'
import { configure } from 'pachter-cli'
import { z } from 'zod'

const book = rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id' },
  records: {
    song: { shape: z.object({ id: z.string(), ownerId: z.string(), title: z.string() }), key: 'id', links: { listeners: toMany('listener', 'songId') } },
    listener: { shape: z.object({ id: z.string(), songId: z.string(), personId: z.string() }), key: 'id' },
  },
})
  .standings({ song: (song, { me }) => ({ owner: song.ownerId.is(me.id), guest: song.listeners.some((one) => one.personId.is(me.id)) }) })
  .rules({
    song: (song, { standing: { owner, guest } }) => ({ may: { read: [owner, guest], update: [owner, guest.only('title')] } }),
    listener: (listener, { signedIn }) => ({ may: { read: [signedIn], create: [signedIn] } }),
  })
  .accepts({ song: [{ write: 'update', by: 'owner', gains: { read: 'listener' }, because: 'Everyone reads them.' }] })
  .guarantees({
    song: (song, { standing: { owner } }) => [
      { never: 'update', fields: ['ownerId'], unless: owner, titled: 'only its owner gives a song away' },
      { never: 'update', fields: ['title'], unless: owner, titled: 'only its owner renames a song' },
    ],
  })
export default configure({ rulebook: book, data: new URL('./data/', import.meta.url), people: {} })
`,
      )
    })
    after(() => rmSync(folder, { recursive: true }))
    const run = (args: string) => within(`prove --config ${join(folder, 'pachter.config.ts')} ${args}`)

    it('shows a person and the few records that matter, and ends with 1', async () => {
      const { status, stdout } = await run('')
      expect(status, stdout).to.equal(1)
      expect(stdout).to.include('✔ song: only its owner gives a song away')
      expect(stdout).to.match(
        /✘ song: only its owner renames a song \(.*:21\)\n {4}person-1 changes title of song song-1, from title-1 to title-2\n/,
      )
      expect(stdout).to.match(/song {6}song-1, ownerId ownerId-1, title title-1\n/)
      expect(stdout).to.match(/listener {2}listener-\d, songId song-1, personId person-1\n/)
      expect(stdout).to.include('allowed by "guest; only title"')
      expect(stdout).to.include('Guarantees: 1 proved, 1 refuted, for every person and all records.')
    })

    it('shows how people give themselves more, and what is accepted for nothing', async () => {
      const { status, stdout } = await run('--only self-promotion')
      expect(status, stdout).to.equal(1)
      expect(stdout).to.match(
        /✘ listener: create by "signed in", and then read song; update song \(.*pachter\.config\.ts:15\)\n {4}person-1 creates a listener\n {4}and then reads song song-1\n/,
      )
      expect(stdout).to.match(/listener {2}listener-1, songId song-1, personId person-1\n {6}then allowed by "guest"\n/)
      expect(stdout).to.include('! nothing was found for what is accepted of update song by owner: remove it')
      expect(stdout).to.match(/of \d+ ways, \d+ proved to give nothing, 2 found\./)
    })

    it('saves each example with its records, and an expectation that fails until the rules are mended', async () => {
      const found = join(folder, 'found')
      expect((await run(`--save-examples ${found}`)).stderr).to.match(
        /^Saved 3 examples\. Open one: pachter review --config .*1-only-its-owner-renames/,
      )
      const folders = readdirSync(found).sort()
      expect(folders).to.have.length(3)
      // One of a guarantee, and one of self-promotion.
      const tried = folders.slice(0, 2)
      for (const name of tried) {
        const { status, stdout } = await within(`check --config ${join(found, name, 'pachter.config.ts')}`)
        expect(status, stdout).to.equal(1)
        expect(stdout).to.include('1 expectation: 0 hold, 1 does not.')
      }
      const config = join(folder, 'pachter.config.ts')
      const open = readFileSync(config, 'utf8')
      writeFileSync(config, open.replace(", guest.only('title')]", ']').replace('create: [signedIn]', 'create: []'))
      for (const name of tried) {
        const { status, stdout } = pachter(`check --config ${join(found, name, 'pachter.config.ts')}`)
        expect(status, stdout).to.equal(0)
      }
      writeFileSync(config, open)
      const again = await run(`--save-examples ${found}`)
      expect([again.status, again.stderr]).to.deep.equal([2, again.stderr])
      expect(again.stderr).to.include('is not empty')
    })

    it('tells a code review in SARIF at which line', async () => {
      const log = JSON.parse((await run('--format sarif')).stdout)
      expect(log.version).to.equal('2.1.0')
      const [{ tool, results }] = log.runs
      expect(tool.driver.rules.map(({ id }: { id: string }) => id)).to.deep.equal(['guarantee', 'self-promotion', 'idle-rule'])
      const lines = (results as Result[]).map((one) => [one.ruleId, one.locations?.[0]?.physicalLocation?.region?.startLine])
      expect(lines).to.deep.include.members([
        ['guarantee', 21],
        ['self-promotion', 15],
      ])
    })

    it('says the same as JSON, JUnit XML and Markdown', async () => {
      const [, refuted] = JSON.parse((await run('--format json')).stdout).guarantees
      expect(refuted).to.include({ type: 'song', outcome: 'refuted', field: 'title' })
      expect(refuted.example.becomes.title).not.to.equal(refuted.example.record.title)
      expect((await run('--format junit')).stdout).to.match(
        /tests="2" failures="1"[\s\S]*<failure message="person-1 changes title of song song-1/,
      )
      expect((await run('--format markdown')).stdout).to.match(
        /\*\*song: only its owner renames a song\*\* is refuted:\n\n```text\nperson-1 changes/,
      )
    })
  })
})
