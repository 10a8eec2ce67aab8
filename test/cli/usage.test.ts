import { spawn, spawnSync } from 'node:child_process'
import { cpSync, mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect } from 'chai'
import { pachter, plain, root, runs, within } from '../support/command.js'

describe('how the command is called', () => {
  describe('help', () => {
    runs('--help', 0, 'people', 'list', 'try', 'why', 'Exit status')
    runs('list --help', 0, '--where', 'isOneOf')
  })

  describe('bad usage', () => {
    runs('lst', 2, 'Did you mean list?')
    runs('list', 2, "missing required argument 'type'")
    runs('list plots --for ines', 2, 'Did you mean "plot"')
    runs('list plot', 2, '--for')
    runs('list plot --for inez', 2, 'Did you mean "ines"')
    runs('list plot --for ines --fields nmber', 2, 'Did you mean "number"')
    runs('list plot --for ines --where stat=let', 2, 'Did you mean "state"')
    runs('list plot --for ines --where state=vacnt', 2, 'Did you mean "vacant"')
    runs('list plot --for ines --where "number isMoreThn 5"', 2, 'Did you mean "isMoreThan"')
    runs('list plot --for ines --where "number isMoreThan x"', 2, 'needs a number')
    runs('list plot --for ines --where whatever', 2, 'field=value')
    runs('list plot --for ines --limit -1', 2, 'whole number')
    runs('list plot --for ines --format xml', 2, 'table, json, csv')
    runs('list plot --for ines --at soon', 2, 'needs an instant')
    runs('try remove plot p-01 --for ines', 2, 'there is no action "remove"')
    runs('try delete plot --for ines', 2, 'give the key of the plot')
    runs('try delete plot p-01', 2, '--for')
    runs('try update plot p-01 --for ines', 2, '--set field=value')
    runs('try update plot p-01 --for ines --set planting', 2, 'field=value')
    runs('try update plot p-01 --for ines --set plantin=x', 2, 'Did you mean "planting"')
    runs('try update plot p-01 --for ines --set number=x', 2, 'needs a number')
    runs('why read plot p-77 --for ines', 2, 'no plot p-77')
    runs('why read plot p-01 --for system', 2, 'no rules')
    runs('people --config nowhere.ts', 2, 'nowhere.ts')
  })

  describe('as anyone', () => {
    runs('list plot --for m-09', 0, 'm-09 sees 4 of 12')
    runs('list plot --for name=dogwood', 0, 'm-09 sees 4 of 12')
    runs('list plot --for email=INES@', 0, 'm-01 sees 2 of 12')
    runs('matrix invoice --for roles=treasurer --for m-11', 0, /invoice +m-06 +m-11/)
    runs('try delete plot p-01 --for name=Bram', 1, 'refused')
    runs('list plot --for name=a', 2, '12 of member match', 'm-01 (Ines Varela)', '...')
    runs('list plot --for roles=warden', 2, 'm-04 (warden), m-05 (warden)')
    runs('list plot --for naem=Ines', 2, 'Did you mean "name"')
    runs('list plot --for name=zzz', 2, 'no member has such a name')
    runs('list plot --for m-77', 2, 'there is no person "m-77"')
    runs(`list plot --for '{"id":"m-09","email":"h@x.example"}'`, 0, 'm-09 sees 4 of 12')
    runs(`list plot --for '{"id":5}'`, 2, 'the claims do not fit the shape of me: id')
    runs(`list plot --for '{"id":'`, 2, 'the claims are not valid JSON')
  })
})

describe('a process', () => {
  it('ends with the status of its command', () => {
    const ends = ['people', 'try delete plot p-01 --for ines', 'lst'].map((args) => pachter(args).status)
    expect(ends).to.deep.equal([0, 1, 2])
  })
})

describe('output whose reader stops early', () => {
  it('is no failure', () => {
    const { stdout, stderr } = spawnSync('sh', ['-c', `"${process.execPath}" cli/dist/main.js rules | head -1`], {
      cwd: root,
      encoding: 'utf8',
      env: plain,
    })
    expect(stdout).to.equal('every record type\n')
    expect(stderr).to.equal('')
  })
})

describe('the command on a project of its own', () => {
  let folder = ''
  const write = (file: string, text: string) => writeFileSync(join(folder, file), text)
  const RULES = `import { rulebook } from 'pachter'
import { z } from 'zod'
export const book = rulebook({ me: { shape: z.object({ id: z.string() }), key: 'id' }, records: { plot: { shape: z.object({ id: z.string(), holderId: z.string() }), key: 'id' } } })
  .rules({ plot: (plot, { me, anyone }) => ({ may: { read: [anyone.provided(plot.holderId.is(me.id))] } }) })
`
  const CONFIG = `import { configure } from 'pachter-cli'
import { book } from './rules'
export default configure({ rulebook: book, data: 'data', people: { ines: { id: 'm-01' } } })
`

  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'pachter-'))
    mkdirSync(join(folder, 'node_modules'))
    mkdirSync(join(folder, 'data'))
    symlinkSync(root, join(folder, 'node_modules/pachter'))
    symlinkSync(join(root, 'node_modules/zod'), join(folder, 'node_modules/zod'))
    write('rules.ts', RULES)
    write('pachter.config.ts', CONFIG)
    write('data/plot.json', '[{"id":"p-1","holderId":"m-01"},{"id":"p-2","holderId":"m-02"}]')
  })
  afterEach(() => rmSync(folder, { recursive: true }))

  it('reads the configuration of the folder or the nearest one above', () => {
    expect(pachter('list plot --for ines', folder).stdout).to.include('ines sees 1 of 2')
    mkdirSync(join(folder, 'deep'))
    expect(pachter('list plot --for ines', join(folder, 'deep')).stdout).to.include('ines sees 1 of 2')
    cpSync(join(folder, 'pachter.config.ts'), join(folder, 'other.ts'))
    expect(pachter('list plot --for ines --config other.ts', folder).status).to.equal(0)
  })

  it('shows warnings until they are accepted with a reason', () => {
    write('rules.ts', RULES.replace('may: { read: [', "may: { delete: [anyone.titled('all')], read: ["))
    const warned = pachter('list plot --for ines', folder)
    expect(warned.stderr).to.include('warning: plot: the delete clause "all" may apply to records')
    const accepting = (accepted: string) => {
      write('pachter.config.ts', CONFIG.replace('} })', `}, accepted: ${accepted} })`))
      return pachter('list plot --for ines', folder)
    }
    const accepted = accepting(`{ 'the delete clause "all"': 'Nobody reads what is not theirs.' }`)
    expect([accepted.status, accepted.stderr]).to.deep.equal([0, ''])
    expect(pachter('rules plot', folder).stdout).not.to.include('warning')
    expect(accepting(`{ 'the delete clause "every"': 'Gone.' }`).stderr).to.include('no warning contains "the delete clause \\"every\\""')
    expect(accepting(`{ 'delete clause': ' ' }`).stderr).to.include('write the reason for "delete clause"')
  })

  it('asks again at every save, and marks what changed', async () => {
    const running = spawn(process.execPath, [join(root, 'cli/dist/main.js'), 'list', 'plot', '--for', 'ines', '--watch'], {
      cwd: folder,
      env: plain,
    })
    let output = ''
    let told = () => {}
    running.stdout.on('data', (text) => {
      output += text
      told()
    })
    /** What was said since, once it says that it waits. */
    const next = async () => {
      while (!/watching\. Press Ctrl-C/.test(output)) await new Promise<void>((resolve) => (told = resolve))
      return output.slice(0, output.indexOf('watching.'))
    }
    try {
      expect(await next()).to.match(/^ {2}p-1 +m-01\n[\s\S]*^ {2}ines sees 1 of 2/m)
      output = ''
      write('data/plot.json', '[{"id":"p-2","holderId":"m-02"},{"id":"p-3","holderId":"m-01"}]')
      expect(await next()).to.match(/^- p-1 +m-01\n\+ p-3 +m-01\n[\s\S]*^ {2}ines sees 1 of 2/m)
      output = ''
      write('rules.ts', RULES.replace('anyone.provided(plot.holderId.is(me.id))', 'anyone'))
      expect(await next()).to.match(/^\+ p-2 +m-02\n[\s\S]*^- ines sees 1 of 2[\s\S]*^\+ ines sees 2 of 2/m)
      output = ''
      write('rules.ts', `${RULES.replace('anyone.provided(plot.holderId.is(me.id))', 'anyone')}\n`)
      expect(await next()).to.include('Nothing changed.')
      // Rules that cannot be loaded answer nothing, so the next answer is compared with the last one.
      output = ''
      write('rules.ts', RULES.replace('plot.holderId', 'plot.holder'))
      expect(await next()).not.to.match(/^[+-] /m)
      output = ''
      write('rules.ts', RULES)
      expect(await next()).to.match(/^- p-2 +m-02/m)
    } finally {
      running.kill('SIGINT')
    }
    expect(await new Promise((resolve) => running.once('close', resolve))).to.equal(0)
  })

  it('shows what data would do to a terminal, and does not do it', () => {
    write('data/plot.json', '[{"id":"\\u001b[2Jp-1","holderId":"m-01"}]')
    const { stdout } = pachter('list plot --for ines', folder)
    expect(stdout).to.include('\\u{1b}[2Jp-1').and.not.include('\u001b')
  })

  it('reads times, bigints and bytes from JSON, where a shape has them', async () => {
    write(
      'rules.ts',
      RULES.replace(
        'holderId: z.string() })',
        'holderId: z.string(), until: z.date(), seen: z.array(z.object({ at: z.date() })), size: z.bigint(), map: z.instanceof(Uint8Array) })',
      ),
    )
    const more = '"size": "90071992547409931", "map": "AP8Q"'
    write(
      'data/plot.json',
      `[{ "id": "p-1", "holderId": "m-01", "until": "2026-12-24T10:00:00Z", "seen": [{ "at": "2026-11-01" }], ${more} }]`,
    )
    const tried = await within(
      `try update plot p-1 --for system --set size=90071992547409932 --config ${join(folder, 'pachter.config.ts')}`,
    )
    expect(tried.stdout, tried.stderr).to.include('size: 90071992547409931 -> 90071992547409932')
    const { stdout, stderr } = await within(`list plot --for ines --format json --config ${join(folder, 'pachter.config.ts')}`)
    expect(JSON.parse(stdout), stderr).to.deep.equal([
      {
        id: 'p-1',
        holderId: 'm-01',
        until: '2026-12-24T10:00:00.000Z',
        seen: [{ at: '2026-11-01T00:00:00.000Z' }],
        size: '90071992547409931',
        map: 'AP8Q',
      },
    ])
    write('data/plot.json', '[{ "id": "p-1", "holderId": "m-01", "until": "soon", "seen": [] }]')
    expect((await within(`list plot --for ines --config ${join(folder, 'pachter.config.ts')}`)).stderr).to.match(
      /plot\.json: row 1 \(id "p-1"\): until: /,
    )
  })

  it('reads a gate back once, with its words, and breaks lines between words', async () => {
    const gate =
      "gate: { all: { provided: plot.holderId.isOneOf(['the person themselves', 'somebody else', 'a third one', 'a fourth one', 'a fifth one', 'a sixth one']), message: 'Not yours.' } }, may:"
    write('rules.ts', RULES.replace('may:', gate))
    const { stdout } = await within(`rules plot --config ${join(folder, 'pachter.config.ts')}`)
    expect(stdout.match(/anything only if/g)).to.have.length(1)
    expect(stdout)
      .to.match(/\n {6}message: Not yours\.\n/)
      .and.to.include('nobody may create, update or delete')
    for (const line of stdout.split('\n')) expect(line.length, line).to.be.at.most(120)
    expect(stdout.replaceAll(/\s+/g, ' ')).to.include('"a third one", "a fourth one"')
  })

  it('writes CSV that no spreadsheet takes for formulas, with times as they are', async () => {
    const shape = 'z.object({ id: z.string(), holderId: z.string(), at: z.iso.datetime(), tags: z.array(z.string()), rent: z.number() })'
    write('rules.ts', RULES.replace(/z\.object\(\{ id: z\.string\(\), holderId.*?\}\)/, shape))
    const rows = ['=1+1', '+1', '-1', '@SUM(A1)', ' \t=1', '＝1', '\u001b[2J', 'one "two", three', "o'clock", '1-2'].map((id) => ({
      id,
      holderId: 'm-01',
      at: '2026-06-15T09:00:00.000Z',
      tags: ['=a', 'b'],
      rent: -3,
    }))
    write('data/plot.json', JSON.stringify(rows))
    const { stdout, stderr } = await within(`list plot --for ines --format csv --config ${join(folder, 'pachter.config.ts')}`)
    const ids = ["'=1+1", "'+1", "'-1", "'@SUM(A1)", "' \\u{9}=1", "'＝1", '\\u{1b}[2J', '"one ""two"", three"', "o'clock", '1-2']
    const [head, ...lines] = stdout.trimEnd().split('\n')
    expect(head, stderr).to.equal('id,holderId,at,tags,rent')
    expect(lines).to.have.members(ids.map((id) => `${id},m-01,2026-06-15T09:00:00.000Z,'=a;b,-3`))
  })

  const BROKEN: readonly [what: string, file: string, text: string, ...says: string[]][] = [
    [
      'a rulebook that does not build',
      'rules.ts',
      RULES.replace('holderId.is', 'holdrId.is'),
      'could not be loaded',
      'Did you mean "holderId"',
    ],
    ['a configuration that does not parse', 'pachter.config.ts', 'export default {', 'could not be loaded'],
    ['an import of nothing', 'pachter.config.ts', "import './nothing.js'\nexport default {}", 'nothing.js'],
    ['a configuration of nothing', 'pachter.config.ts', 'export const x = 1', '"rulebook"'],
    ['a person with a reserved name', 'pachter.config.ts', CONFIG.replace('ines:', 'visitor:'), 'reserved'],
    ['claims that do not fit', 'pachter.config.ts', CONFIG.replace("'m-01'", '7'), 'people, ines', 'id'],
    ['no people', 'pachter.config.ts', CONFIG.replace(/, people.*}/, '}'), '"people"'],
    ['a data folder that is not there', 'pachter.config.ts', CONFIG.replace("'data'", "'dta'"), 'dta', 'does not exist'],
    ['data that is no JSON', 'data/plot.json', '[{"id":', 'plot.json', 'not valid JSON'],
    ['data that is no list', 'data/plot.json', '{}', 'plot.json', 'an array'],
    ['a row that does not fit', 'data/plot.json', '[{"id":"p-1","holderId":"m-01"},{"id":"p-2"}]', 'plot.json', 'row 2', 'holderId'],
    ['a key twice', 'data/plot.json', '[{"id":"p-1","holderId":"a"},{"id":"p-1","holderId":"b"}]', 'row 2', '"p-1"', 'row 1'],
    ['a file of no record type', 'data/plots.json', '[]', 'plots.json', '"plot.json"?'],
  ]
  for (const [what, file, text, ...says] of BROKEN) {
    it(`says what is wrong with ${what}`, async () => {
      write(file, text)
      const { status, stderr, stdout } = await within(`list plot --for ines --config ${join(folder, 'pachter.config.ts')}`)
      expect(status, stdout).to.equal(2)
      for (const words of says) expect(stderr).to.include(words)
      expect(stderr).not.to.match(/\n\s+at /)
    })
  }
})
