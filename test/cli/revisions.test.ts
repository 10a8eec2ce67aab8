import { execFileSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect } from 'chai'
import type { Result } from 'sarif'
import { pachter, root, within } from '../support/command.js'

describe('pachter drift --between', () => {
  const home = mkdtempSync(join(tmpdir(), 'pachter-between-'))
  const config = join(home, 'garden/pachter.config.ts')
  const git = (...args: string[]) =>
    execFileSync('git', ['-c', 'user.name=Test', '-c', 'user.email=test@marshlane.example', ...args], { cwd: home, stdio: 'pipe' })
  const rules = (read: string, field = '') => `import { rulebook } from 'pachter'
import { z } from 'zod'
export default rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id' },
  records: { plot: { shape: z.object({ id: z.string(), holderId: z.string().nullable(), state: z.string()${field} }), key: 'id' } },
})
  .standings({ plot: (plot, { me }) => ({ holder: plot.holderId.is(me.id) }) })
  .rules({ plot: (plot, words) => ({ may: { read: [${read}] } }) })
`
  const commit = (text: string) => {
    writeFileSync(join(home, 'garden/rules.ts'), text)
    git('add', '-A')
    git('commit', '-qm', 'rules')
  }
  const said = (args: string) => within(`drift --config ${config} ${args}`)
  const left = () => readdirSync(tmpdir()).filter((name) => name.startsWith('pachter-revision-'))

  before(() => {
    mkdirSync(join(home, 'garden/data'), { recursive: true })
    writeFileSync(join(home, '.gitignore'), 'node_modules\n')
    writeFileSync(
      config,
      `import { configure } from 'pachter-cli'\nimport book from './rules.js'\nexport default configure({ rulebook: book as never, data: 'data', people: { ines: { id: 'm-01' } } as never })\n`,
    )
    writeFileSync(
      join(home, 'garden/data/plot.json'),
      JSON.stringify([
        { id: 'p-01', holderId: 'm-01', state: 'let' },
        { id: 'p-02', holderId: null, state: 'vacant' },
      ]),
    )
    git('init', '-q')
    writeFileSync(join(home, 'first'), '')
    git('add', '-A')
    git('commit', '-qm', 'nothing yet')
    // The packages of the project are the ones that are installed here.
    mkdirSync(join(home, 'node_modules'))
    symlinkSync(join(root, 'node_modules/zod'), join(home, 'node_modules/zod'))
    symlinkSync(root, join(home, 'node_modules/pachter'))
    symlinkSync(join(root, 'cli'), join(home, 'node_modules/pachter-cli'))
    commit(rules('words.standing.holder'))
    commit(rules("words.anyone.provided(plot.state.is('vacant'))"))
    commit(rules("words.standing.holder, words.anyone.provided(plot.state.is('vacant'))", ', size: z.number().optional()'))
  })
  after(() => rmSync(home, { recursive: true }))

  it('tells what two revisions let differently on the data of now, widened apart from narrowed', async () => {
    const files = () => [git('status', '--porcelain').toString(), readFileSync(join(home, 'garden/rules.ts'), 'utf8')]
    const before = files()
    const { status, stdout, stderr } = await said('--between HEAD~2 HEAD~1')
    expect(status, stderr).to.equal(1)
    expect(stdout).to.match(
      /From HEAD~2 to HEAD~1[\s\S]*Widened: 3\n.*\n\+ +ines unknown visitor +read +plot p-02.*vacant[\s\S]*Narrowed: 1\n.*\n- +ines +read +plot p-01 .*holder/,
    )
    expect(files()).to.deep.equal(before)
    expect(left()).to.deep.equal([])
  })

  it('proves for everyone what changed, and tells a code review at which line', async () => {
    const { status, stdout, stderr } = await said('--between HEAD~2 HEAD --for-everyone')
    expect(status, stderr).to.equal(1)
    expect(stdout).to.match(
      /^From HEAD~2 to HEAD, for every person and all records:\n\n\+ plot, read \(.*\): gained\n {4}a visitor reads plot plot-1\n/,
    )
    expect(stdout).not.to.include('lost')
    const log = JSON.parse((await said('--between HEAD~2 HEAD --for-everyone --format sarif')).stdout)
    const [found] = log.runs[0].results
    expect([log.runs[0].results.length, found.ruleId, found.level]).to.deep.equal([1, 'gained', 'error'])
    expect(found.message.text).to.include('a visitor reads plot plot-1')
    const [{ physicalLocation }] = found.locations
    expect(physicalLocation.artifactLocation.uri).to.match(/garden\/rules\.ts$/)
    expect(physicalLocation.region.startLine).to.equal(8)
    const same = await said('--between HEAD HEAD --for-everyone --format sarif')
    expect(same.status).to.equal(0)
    expect(JSON.parse(same.stdout).runs[0].results).to.deep.equal([])
  })

  it('tells a code review what was gained and lost on the data of now, at the clauses', async () => {
    const { status, stdout } = await said('--between HEAD~2 HEAD~1 --format sarif')
    const results = JSON.parse(stdout).runs[0].results as Result[]
    expect(status).to.equal(1)
    const told = results.map(({ ruleId, level, message, locations }) => [
      ruleId,
      level,
      message.text?.split('\n')[0],
      locations?.[0]?.physicalLocation?.region?.startLine,
    ])
    expect(told).to.deep.include.members([
      ['widened', 'error', 'ines, unknown, visitor may now read plot p-02', 8],
      ['narrowed', 'warning', 'ines may no longer read plot p-01', 8],
    ])
    expect(told.map(([kind]) => kind)).to.include('changed-rules')
  })

  it('compares one revision with the working tree', async () => {
    expect((await said('--between HEAD')).stdout).to.include('No changes in access from HEAD to the working tree')
    writeFileSync(join(home, 'garden/rules.ts'), rules('words.standing.holder'))
    // In a process of its own: what was loaded once stays as it was.
    const { status, stdout } = pachter(`drift --config ${config} --between HEAD --format json`)
    git('checkout', '-q', '.')
    expect(status).to.equal(1)
    const { gained, lost } = JSON.parse(stdout)
    expect([gained.length, lost.length]).to.deep.equal([0, 3])
  })

  const BAD: readonly [args: string, says: RegExp][] = [
    ['--between nosuch', /the revision nosuch does not exist/],
    ['--between HEAD~3', /revision HEAD~3: garden\/pachter\.config\.ts could not be loaded/],
    ['--between HEAD --save', /leave out --save/],
    ['--between HEAD HEAD HEAD', /one revision, .* or two/],
    ['--between --upload-pack=x', /argument missing|does not exist|unknown option/],
  ]
  for (const [args, says] of BAD)
    it(`drift ${args} is refused, and leaves nothing behind`, async () => {
      const { status, stdout, stderr } = await said(args)
      expect(status, stdout).to.equal(2)
      expect(stderr).to.match(says)
      expect(left()).to.deep.equal([])
    })
})
