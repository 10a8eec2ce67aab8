import { spawnSync } from 'node:child_process'
import { cpSync, mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { expect } from 'chai'

const root = fileURLToPath(new URL('../..', import.meta.url))
const main = join(root, 'dist/cli/main.js')

/** Runs the command as a user would, in a folder. */
function pachter(args: string, cwd = root) {
  const words = args.match(/"[^"]*"|\S+/g)?.map((word) => word.replaceAll('"', '')) ?? []
  const { status, stdout, stderr } = spawnSync(process.execPath, [main, ...words], {
    cwd,
    encoding: 'utf8',
    env: { ...process.env, NO_COLOR: '1', COLUMNS: '120' },
  })
  return { status, stdout, stderr }
}

function runs(args: string, status: number, ...says: (string | RegExp)[]) {
  it(`pachter ${args}`, () => {
    const result = pachter(args)
    expect(result.status, result.stdout + result.stderr).to.equal(status)
    const output = status === 2 ? result.stderr : result.stdout
    for (const words of says) {
      if (typeof words === 'string') expect(output).to.include(words)
      else expect(output).to.match(words)
    }
    expect(result.stdout + result.stderr, 'no stack trace').not.to.match(/\n\s+at /)
  })
}

describe('the command on the demo world', () => {
  describe('people', () => {
    runs('people', 0, /ines +m-01/, /tomasz .*warden/, /visitor +-/, 'unknown')
    runs('people --format json', 0, '"name": "visitor"')
    runs('people --format csv', 0, 'name,id,email,roles,siteIds')
  })

  describe('list', () => {
    runs('list plot --for ines', 0, 'p-01', 'ines sees 2 of 12 plot records')
    runs('list plot --for visitor', 0, 'Hidden from visitor in all of these: holderId, planting, rentDue, wardenNotes.')
    runs('list plot --for ines --fields planting', 0, /p-01 +garlic, rhubarb/, /p-06 +hidden/)
    runs('list invoice --for visitor', 0, 'visitor sees 0 of 10')
    runs('list plot --for system', 0, 'system sees 12 of 12')
    runs('list job --for bram', 0, 'j-02', 'j-06')
    runs('list share --for odile', 0, 'odile sees 1 of 3')
    runs('list share --for odile --at 2025-06-01', 0, 'odile sees 2 of 3')
    runs('list plot --for tomasz --where state=let --sort=-number --fields number --limit 2', 0, /p-04 +4\np-02 +2\n/)
    runs(
      'list plot --for farah --where "rentDue isAtLeast 30" --where "siteId isOneOf s-01,s-02" --format csv --fields rentDue',
      0,
      'id,rentDue\n',
    )
    runs('list plot --for ines --for bram --for visitor', 0, /p-01 .*● +· +·/, /p-06 .*● +● +●/, /sees +2 +3 +1\n/, '4 of 12 plot records')
    runs('list plot --for farah --where holderId=null', 2, 'isMissing')
    runs('list plot --for farah --where "holderId isMissing" --fields state', 0, /p-06 +vacant/, /p-09 +let/)
  })

  it('lists in JSON and CSV what the table shows', () => {
    const rows = JSON.parse(pachter('list plot --for ines --format json').stdout)
    expect(rows.map((row: { id: string }) => row.id)).to.deep.equal(['p-01', 'p-06'])
    const side = JSON.parse(pachter('list plot --for ines --for bram --format json').stdout)
    expect(side.find((row: { id: string }) => row.id === 'p-06').seenBy).to.deep.equal(['ines', 'bram'])
    expect(pachter('list plot --for ines --for bram --format csv --fields state').stdout.split('\n')[0]).to.equal('id,state,ines,bram')
  })

  describe('try', () => {
    runs('try update entry e-01 --for ines --set text=Rain', 0, 'allowed', 'text: The water butt leaks. -> Rain', 'copy')
    runs('try update entry e-03 --for ines --set text=Rain', 1, 'refused', 'Only its author rewrites an entry.', 'entry e-03 is as it was')
    runs('try update entry e-01 --for ines --set authorId=m-02', 1, 'You may not change authorId', 'as it was')
    runs('try delete plot p-02 --for ines', 1, 'not found', 'There is no such plot.', 'Nothing changed')
    runs('try delete plot p-77 --for ines', 1, 'not found', 'There is no such plot.', 'Nothing changed')
    runs('try delete plot p-06 --for visitor', 1, 'sign in')
    runs('try delete plot p-06 --for yuki', 0, 'removed  plot p-06')
    runs('try read plot p-01 --for ines', 0, 'number: 1')
    runs('try update plot p-01 --for ines --set rentDue=0', 1, 'refused', 'You may not change rentDue.')
    runs('try update plot p-03 --for bram --set planting=x', 1, 'This lease is ending')
    runs('try update plot p-01 --for tomasz --set number=-1', 1, 'invalid', 'number')
    runs('try update plot p-01 --for unknown --set number=5', 1, 'not found')
    runs('try delete inspection i-01 --for kofi', 1, 'until its season is over')
    runs('try delete inspection i-01 --for kofi --at 2026-11-01', 0, 'removed')
  })

  it('tries on a copy: the data folder is as it was', () => {
    const file = join(root, 'examples/world/data/plot.json')
    const before = readFileSync(file, 'utf8')
    pachter('try delete plot p-06 --for yuki')
    pachter('try update plot p-01 --for system --set number=99')
    expect(readFileSync(file, 'utf8')).to.equal(before)
    expect(
      pachter('try create entry --for ines --set plotId=p-01 --set siteId=s-01 --set audience=site --set text=Hi --format json').stdout,
    ).to.include('"outcome": "allowed"')
  })

  describe('why', () => {
    runs(
      'why read plot p-01 --for ines',
      0,
      'may read plot p-01',
      'By this clause',
      "the plot's holderId is ines's id",
      'holderId: "m-01", me.id: "m-01"',
    )
    runs(
      'why read plot p-01 --for bram',
      0,
      'may not',
      'Nearest clause for read',
      /fails .*bram's roles include "warden"/,
      /holds .*siteIds include/,
    )
    runs('why delete plot p-02 --for ines', 0, 'so the clauses for read decide')
    runs('why update entry e-01 --for ines --set authorId=m-02', 0, 'on the record as it is', 'on the record as it would become')
    runs('why read plot p-01 --for ines --format json', 0, '"decidedBy": "read"')
    runs('why create plot --for tomasz --set siteId=s-02', 0, 'may not create', 'siteId: "s-02"')
    runs('why update plot p-03 --for bram', 0, 'Withheld by a veto', 'A clause for update would let it', 'holder; only planting')
    runs(
      'why update plot p-01 --for ines --set rentDue=0 --set planting=x',
      0,
      'You may not change rentDue.',
      /passes +planting, by: holder; only planting/,
      /stays +rentDue, .*role treasurer; only rentDue/,
    )
    runs('why read plot p-06 --for visitor', 0, 'Fields: number, siteId, state')
    runs('why create share --for ines', 0, 'No clause lets anybody create a share')
  })

  describe('rules', () => {
    runs(
      'rules plot',
      0,
      "holder: the plot's holderId is my id",
      /may update\n +holder; only planting/,
      'update: the plot\'s state is "ending", unless warden',
      'saying: This lease is ending: ask the warden.',
    )
    runs('rules entry', 0, /set when created\n +authorId: my id\n +writtenAt: now/)
    runs('rules share', 0, /may create\n +nobody/)
    runs('rules', 0, 'openLedger', 'role treasurer or secretary', 'invoice')
    runs('rules plot --format markdown', 0, '## plot', '**may read**', '- holder; all but wardenNotes')
    runs('rules plot --format json', 0, '"type": "plot"', '"kind": "compare"')
    runs('rules plto', 2, 'did you mean "plot"')
  })

  describe('help', () => {
    runs('--help', 0, 'people', 'list', 'try', 'why', 'Exit status')
    runs('list --help', 0, '--where', 'isOneOf')
  })

  describe('bad usage', () => {
    runs('lst', 2, 'Did you mean list?')
    runs('list', 2, "missing required argument 'type'")
    runs('list plots --for ines', 2, 'did you mean "plot"')
    runs('list plot', 2, '--for')
    runs('list plot --for inez', 2, 'did you mean "ines"')
    runs('list plot --for ines --fields nmber', 2, 'did you mean "number"')
    runs('list plot --for ines --where stat=let', 2, 'did you mean "state"')
    runs('list plot --for ines --where state=vacnt', 2, 'did you mean "vacant"')
    runs('list plot --for ines --where "number isMoreThn 5"', 2, 'did you mean "isMoreThan"')
    runs('list plot --for ines --where "number isMoreThan x"', 2, 'a number is needed')
    runs('list plot --for ines --where whatever', 2, 'field=value')
    runs('list plot --for ines --limit -1', 2, 'whole number')
    runs('list plot --for ines --format xml', 2, 'table, json, csv')
    runs('list plot --for ines --at soon', 2, 'an instant is needed')
    runs('try remove plot p-01 --for ines', 2, 'there is no action "remove"')
    runs('try delete plot --for ines', 2, 'which plot')
    runs('try delete plot p-01', 2, '--for')
    runs('try update plot p-01 --for ines', 2, '--set field=value')
    runs('try update plot p-01 --for ines --set planting', 2, 'field=value')
    runs('try update plot p-01 --for ines --set plantin=x', 2, 'did you mean "planting"')
    runs('try update plot p-01 --for ines --set number=x', 2, 'a number is needed')
    runs('why read plot p-77 --for ines', 2, 'no plot p-77')
    runs('why read plot p-01 --for system', 2, 'no rules')
    runs('people --config nowhere.ts', 2, 'nowhere.ts')
  })
})

describe('the command on a project of its own', () => {
  let folder = ''
  const write = (file: string, text: string) => writeFileSync(join(folder, file), text)
  const RULES = `import { rulebook } from 'pachter'
import { z } from 'zod'
export const book = rulebook({ me: { shape: z.object({ id: z.string() }), key: 'id' }, records: { plot: { shape: z.object({ id: z.string(), holderId: z.string() }), key: 'id' } } })
  .rules({ plot: (plot, { me, whoever }) => ({ may: { read: [whoever(plot.holderId.is(me.id))] } }) })
`
  const CONFIG = `import { configure } from 'pachter/config'
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

  it('shows what data would do to a terminal, and does not do it', () => {
    write('data/plot.json', '[{"id":"\\u001b[2Jp-1","holderId":"m-01"}]')
    const { stdout } = pachter('list plot --for ines', folder)
    expect(stdout).to.include('\\u{1b}[2Jp-1').and.not.include('\u001b')
  })

  const BROKEN: readonly [what: string, file: string, text: string, ...says: string[]][] = [
    [
      'a rulebook that does not build',
      'rules.ts',
      RULES.replace('holderId.is', 'holdrId.is'),
      'could not be loaded',
      'did you mean "holderId"',
    ],
    ['a configuration that does not parse', 'pachter.config.ts', 'export default {', 'could not be loaded'],
    ['an import of nothing', 'pachter.config.ts', "import './nothing.js'\nexport default {}", 'nothing.js'],
    ['a configuration of nothing', 'pachter.config.ts', 'export const x = 1', '"rulebook"'],
    ['a person with a reserved name', 'pachter.config.ts', CONFIG.replace('ines:', 'visitor:'), 'reserved'],
    ['claims that do not fit', 'pachter.config.ts', CONFIG.replace("'m-01'", '7'), 'people, ines', 'id'],
    ['no people', 'pachter.config.ts', CONFIG.replace(/, people.*}/, '}'), '"people"'],
    ['a data folder that is not there', 'pachter.config.ts', CONFIG.replace("'data'", "'dta'"), 'dta', 'not there'],
    ['data that is no JSON', 'data/plot.json', '[{"id":', 'plot.json', 'not JSON'],
    ['data that is no list', 'data/plot.json', '{}', 'plot.json', 'an array'],
    ['a row that does not fit', 'data/plot.json', '[{"id":"p-1","holderId":"m-01"},{"id":"p-2"}]', 'plot.json', 'row 2', 'holderId'],
    ['a key twice', 'data/plot.json', '[{"id":"p-1","holderId":"a"},{"id":"p-1","holderId":"b"}]', 'row 2', '"p-1"', 'row 1'],
    ['a file of no record type', 'data/plots.json', '[]', 'plots.json', 'plot.json?'],
  ]
  for (const [what, file, text, ...says] of BROKEN) {
    it(`says what is wrong with ${what}`, () => {
      write(file, text)
      const { status, stderr, stdout } = pachter('list plot --for ines', folder)
      expect(status, stdout).to.equal(2)
      for (const words of says) expect(stderr).to.include(words)
      expect(stderr).not.to.match(/\n\s+at /)
    })
  }
})
