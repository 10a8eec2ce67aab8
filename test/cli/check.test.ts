import { spawn } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect } from 'chai'
import type { Result } from 'sarif'
import { plain, root, runs, within } from '../support/command.js'

describe('pachter check', () => {
  const folder = mkdtempSync(join(tmpdir(), 'pachter-check-'))
  const file = (name: string, text: string) => {
    writeFileSync(join(folder, name), text)
    return join(folder, name)
  }
  const HEAD = 'pachter expectations: 1\n'
  const good = file('good.yaml', `${HEAD}people:\n  ines: { sees: { plot: [p-01] } }\n  bram: { has not: [openLedger] }\n`)
  const bad = file(
    'bad.yaml',
    `${HEAD}people:\n  ines:\n    sees exactly: { plot: [p-01, p-02] }\n  odile:\n    is refused:\n      - update plot p-10: { sending: { planting: "<b>\\u001b[1m" } }\n`,
  )
  const odd = file('odd.yaml', `${HEAD}people: { inez: {} }\n`)
  const empty = join(folder, 'empty')
  mkdirSync(empty)
  const config = file(
    'pachter.config.ts',
    `import config from '${root}examples/world/pachter.config.ts'\nexport default { ...config, expectations: 'mine' }\n`,
  )
  after(() => rmSync(folder, { recursive: true }))

  const drawn = file(
    'drawn.yaml',
    `${HEAD}people:
  m-03: { is refused: [read plot p-01: { as: not found }] }
  name=dogwood: { sees: { plot: [p-06] } }
  every roles=warden: { is refused: [delete plot p-01: { as: refused }] }
  every roles=treasurer: { has: [openLedger] }\n`,
  )
  const undrawn = file(
    'undrawn.yaml',
    `${HEAD}people:
  m-033: {}
  name=zzz: {}
  rolls=x: {}
  every roles=wardn: {}
  every roles=warden: { sees: { plto: [p-06] } }
  name=a: {}\n`,
  )
  // Configured people of other names than their keys, one of which is the key of another person.
  const club = file(
    'club.config.ts',
    `import { rulebook } from '${root}dist/entries/pachter.js'
import { createRequire } from 'node:module'
const { z } = createRequire('${root}x.js')('zod')
const id = z.string()
const book = rulebook({ me: { shape: z.object({ id }), key: 'id' }, records: {
  rower: { shape: z.object({ id, nick: z.string() }), key: 'id' }, boat: { shape: z.object({ id, ownerId: id }), key: 'id' } } })
  .rules({ rower: (_r, { signedIn }) => ({ may: { read: [signedIn] } }),
    boat: (boat, { me, anyone }) => ({ may: { read: [anyone.provided(boat.ownerId.is(me.id))] } }) })
export default { rulebook: book, data: 'club', people: { kit: { id: 'ana' }, zoe: { id: 'bo' } }, personOf: { type: 'rower', claims: ({ id }) => ({ id }) } }\n`,
  )
  mkdirSync(join(folder, 'club'))
  file('club/rower.json', JSON.stringify(['ana', 'kit', 'bo'].map((id) => ({ id, nick: id === 'kit' ? 'Kit' : 'Zed' }))))
  file('club/boat.json', JSON.stringify(['ana', 'kit', 'bo'].map((id) => ({ id, ownerId: id }))))
  const rowers = file(
    'rowers.yaml',
    `${HEAD}people:
  every nick=Zed: { sees exactly: { boat: [ana] } }
  nick=kit: { sees exactly: { boat: [kit] } }
  bo: { sees exactly: { boat: [bo] } }\n`,
  )
  // People who sign in for one of several clubs.
  const clubs = file(
    'clubs.config.ts',
    `import { rulebook } from '${root}dist/entries/pachter.js'
import { createRequire } from 'node:module'
const { z } = createRequire('${root}x.js')('zod')
const id = z.string()
const row = (more) => z.object({ id, ...more })
const book = rulebook({ me: { shape: z.object({ id, clubId: id }), key: 'id' }, records: {
  rower: { shape: row({ nick: id }), key: 'id' }, seat: { shape: row({ rowerId: id, clubId: id }), key: 'id' }, boat: { shape: row({ clubId: id }), key: 'id' } } })
  .rules({ boat: (boat, { me, anyone }) => ({ may: { read: [anyone.provided(boat.clubId.is(me.clubId))] } }) })
export default { rulebook: book, data: 'clubs', people: {}, unknown: { id: 'x', clubId: 'x' }, personOf: { type: 'rower', with: ['seat'],
  claims: ({ id }, { seat }) => seat.filter((one) => one.rowerId === id).map(({ clubId }) => ({ id, clubId })) } }\n`,
  )
  const lost = file('lost.config.ts', readFileSync(clubs, 'utf8').replace("with: ['seat'],", ''))
  mkdirSync(join(folder, 'clubs'))
  file('clubs/rower.json', JSON.stringify(['ana', 'bo', 'cy'].map((id) => ({ id, nick: `${id}!` }))))
  const seats = ['ana c-1', 'ana c-2', 'bo c-2'].map((one, at) => ({
    id: `s-${at}`,
    rowerId: one.split(' ')[0],
    clubId: one.split(' ')[1],
  }))
  file('clubs/seat.json', JSON.stringify(seats))
  file('clubs/boat.json', JSON.stringify(['1', '2'].map((at) => ({ id: `b-${at}`, clubId: `c-${at}` }))))
  const each = file(
    'each.yaml',
    `${HEAD}people:\n  ana~c-1: { sees exactly: { boat: [b-1] } }\n  bo: { sees exactly: { boat: [b-2] } }\n  every nick=ana!: { sees: { boat: [b-1] } }\n`,
  )
  runs(`list boat --for ana~c-2 --config ${clubs}`, 0, 'b-2')
  runs(`list boat --for nick=bo --config ${clubs}`, 0, 'bo sees 1 of 2')
  runs(`list boat --for ana --config ${clubs}`, 2, 'there are several claims for this person. Name one: ana~c-1, ana~c-2')
  runs(`list boat --for ana~c-3 --config ${clubs}`, 2, 'there is no person "ana~c-3". Did you mean "ana~c-1"?')
  runs(`list boat --for cy --config ${clubs}`, 2, '"personOf" in', 'returns no claims for this person')
  runs(`list boat --for bo --config ${lost}`, 2, 'personOf failed', 'Name the record types that it reads in "with"')
  runs(`check ${each} --config ${clubs}`, 1, '3 hold', 'ana~c-2 sees boat: b-1', '4 expectations: 3 hold, 1 does not.')

  runs(`check ${drawn}`, 1, '4 hold', 'yuki is refused: delete plot p-01', '5 expectations: 4 hold, 1 does not.')
  runs(`check ${drawn} --for m-03`, 0, '1 expectation: all hold.')
  runs(
    `check ${undrawn}`,
    2,
    'line 3: there is no person "m-033". Did you mean "m-03"?',
    'line 4: name=zzz: no member has such a name',
    'line 5: rolls=x: there is no field "rolls". Did you mean "roles"?',
    'line 6: every roles=wardn: no member has such a roles',
    /line 7: there is no record type "plto"\. Did you mean "plot"\?\n/,
    /line 8: name=a: \d+ of member match\. Use the key of one: /,
  )
  runs(`check ${rowers} --config ${club}`, 1, 'zoe sees exactly boat: ana', 'too many: bo', '4 expectations: 3 hold, 1 does not.')
  runs(`check ${rowers} --config ${club} --for kit`, 0, '1 expectation: all hold.')

  runs('check', 0, /39\d expectations: all hold\./, 'examples/world/expectations/plots.yaml')
  runs('check --for visitor --type plot', 0, /\d+ expectations: all hold/)
  runs(`check ${good} --for bram`, 0, '1 expectation: all hold.')
  runs(`check ${good} --type invoice`, 0, 'No expectation matches these options.')
  runs(
    `check ${good} ${bad}`,
    1,
    '2 hold',
    '2 do not',
    'line 4',
    'missing: p-02; the nearest clause is',
    'too many: p-06; allowed by',
    '4 expectations: 2 hold',
  )
  runs(`check ${bad}`, 1, 'it was allowed, and was done (on a copy); allowed by holder')
  runs(`check ${bad} --mutants`, 1, 'needs expectations that all hold')
  runs(`check ${good} ${odd}`, 2, /odd\.yaml, line 2: there is no person "inez". Did you mean "ines"/)
  runs('check nowhere.yaml', 2, 'does not exist')
  runs(`check ${empty}`, 2, 'there are no expectation files')
  runs('check --for inez', 2, 'Did you mean "ines"')
  runs('check --type plit', 2, 'Did you mean "plot"')
  runs('check --save', 2, 'needs --mutants')
  runs('check --mutants --format junit', 2, 'has to be text, json or sarif')
  runs(`check --config ${config}`, 2, 'there are no expectation files')

  it('tells a code review in SARIF which rule decides, and where the expectation is', async () => {
    const results = async (args: string) => JSON.parse((await within(`check ${args} --format sarif`)).stdout).runs[0].results as Result[]
    const at = (one: Result['locations']) => {
      const { artifactLocation, region } = one?.[0]?.physicalLocation ?? {}
      return `${artifactLocation?.uri?.replace(/^file:.*\//, '')}:${region?.startLine}`
    }
    const lineOf = (file: string, text: string) =>
      readFileSync(join(root, file), 'utf8')
        .split('\n')
        .findIndex((line) => line.includes(text)) + 1
    const rules = 'examples/world/rulebook.ts'
    const failed = await results(`${good} ${bad}`)
    expect(failed.map((one) => [one.ruleId, at(one.relatedLocations)])).to.deep.equal([
      ['expectation', 'bad.yaml:4'],
      ['expectation', 'bad.yaml:7'],
    ])
    expect(failed[0]?.message.text).to.include('too many: p-06')
    expect(at(failed[1]?.locations)).to.match(/^examples\/world\/rulebook\.ts:\d+$/)
    const survived = await results(`${good} --mutants --type notice`)
    expect(survived.length).to.be.above(3)
    for (const one of survived)
      expect(one.message.text).to.match(/^No expectation fails if notice: .* is weakened: .*\nWould be killed by: /)
    expect(survived.map((one) => at(one.locations))).to.include(`${rules}:${lineOf(rules, "notice.state.is('published')")}`)
    expect(await results(`${good} --mutants --type notice --for bram`.replace(' --mutants --type notice', ''))).to.deep.equal([])
  })

  it('shows in its help, and in the guide, what holds of the demo world', async () => {
    const help = (await within('check --help')).stdout
    const shown = /^ {2}pachter expectations: 1\n(?: {2}.*\n)+/m.exec(help)?.[0].replace(/^ {2}/gm, '') as string
    const guide = readFileSync(join(root, 'docs/checking.md'), 'utf8')
    const yaml = [...guide.matchAll(/```yaml\n([\s\S]*?)```/g)].map(([, text = '']) => (text.startsWith('pachter') ? text : HEAD + text))
    expect(yaml).to.have.length(3)
    for (const [at, text] of [shown, ...yaml].entries()) {
      const { status, stdout, stderr } = await within(`check ${file(`shown-${at}.yaml`, text)}`)
      expect(status, stdout + stderr + text).to.equal(0)
      expect(stdout).to.match(/\d\d? expectations: all hold/)
    }
  })

  it('tells every finding as JSON', async () => {
    const { stdout } = await within(`check ${good} ${bad} --format json`)
    const found = JSON.parse(stdout) as { file: string; line: number; held: boolean; problems: string[]; title: string }[]
    expect(found.map(({ held }) => held)).to.deep.equal([true, true, false, false])
    expect(found[2]).to.include({ line: 4, title: 'ines sees exactly plot: p-01, p-02' })
    expect(found[2]?.problems).to.have.length(2)
  })

  it('writes what build servers read: well-formed, whatever the values', async () => {
    const { status, stdout } = await within(`check ${good} ${bad} --format junit`)
    expect(status).to.equal(1)
    expect(stdout).to.match(/<testsuites name="pachter check" tests="4" failures="2">/)
    expect([...stdout.matchAll(/<testcase /g)].length).to.equal(4)
    expect(stdout).to.match(/<testcase name="ines sees exactly plot: p-01, p-02" classname="ines" file=".*bad\.yaml" line="4">\s*<failure /)
    // No character that XML has no place for, and every angle bracket a tag's.
    const bare = stdout.replace(/<[?/]?[a-z][^<>]*>/g, '')
    expect(bare).not.to.match(/[<>]/)
    expect([...stdout].every((character) => character === '\n' || character >= ' ')).to.equal(true)
  })

  it('keeps what would notice weakened rules, once', async () => {
    const mine = join(folder, 'mine')
    mkdirSync(mine)
    const first = `${HEAD}# Mine.\npeople: { farah: { sees exactly: { invoice: all } } }\n`
    writeFileSync(join(mine, 'first.yaml'), first)
    const at = `--config ${config}`
    const asked = await within(`check ${at} --mutants --type invoice`)
    expect(asked.status, asked.stderr).to.equal(1)
    expect(asked.stdout).to.match(/15 mutants: \d+ killed(?:, \d+ of them by guarantees alone)?, \d+ survived/)
    expect(readdirSync(mine)).to.deep.equal(['first.yaml'])
    const kept = await within(`check ${at} --mutants --type invoice --save`)
    expect(kept.stdout).to.match(/\d+ expectations were saved to .*saved\.yaml/)
    const text = readFileSync(join(mine, 'saved.yaml'), 'utf8')
    const again = await within(`check ${at} --mutants --type invoice --save`)
    expect(again).to.include({ status: 0 })
    expect(again.stdout).to.match(/15 killed(?:, \d+ of them by guarantees alone)?, none survived/)
    expect(readFileSync(join(mine, 'saved.yaml'), 'utf8')).to.equal(text)
    expect(readFileSync(join(mine, 'first.yaml'), 'utf8')).to.equal(first)
    expect(existsSync(join(root, 'examples/world/expectations/saved.yaml'))).to.equal(false)
  })

  it('watches, until it is interrupted', async () => {
    const mine = file('watched.yaml', readFileSync(good, 'utf8'))
    const main = join(root, 'cli/dist/main.js')
    const running = spawn(process.execPath, [main, 'check', mine, '--watch', '--config', config], { cwd: folder, env: plain })
    let said = ''
    running.stdout.on('data', (text) => {
      said += text
    })
    const until = async (words: RegExp) => {
      for (let times = 0; times < 300 && !words.test(said); times++) await new Promise((resolve) => setTimeout(resolve, 50))
      expect(said).to.match(words)
    }
    try {
      await until(/2 expectations: all hold\.[\s\S]*watching. Press Ctrl-C to stop/)
      said = ''
      writeFileSync(mine, readFileSync(bad, 'utf8'))
      await until(/2 expectations: 0 hold, 2 do not\.[\s\S]*watching/)
    } finally {
      running.kill('SIGINT')
    }
    const status = await new Promise((resolve) => running.on('exit', resolve))
    expect(status).to.equal(0)
  })

  describe('of an application that is running, before it is asked', () => {
    runs('check --url marshlane', 2, 'needs an address')
    runs('check --url http://marshlane.example/api --tokens none.yaml', 2, 'use https')
    runs('check --url https://marshlane.example/api', 2, 'give the credentials of the people')
    runs('check --url https://marshlane.example/api --tokens none.yaml', 2, 'does not exist')
    runs('check --url https://marshlane.example/api --tokens pachter.config.ts', 2, /is no YAML|a line for each person/)
    runs('check --url https://marshlane.example/api --tokens package.json', 2, 'there is no person "name"')
    runs('check --url https://marshlane.example/api --may-write plit', 2, 'Did you mean "plot"')
    runs('check --url https://marshlane.example/api --path plot', 2, 'as in plot=plots')
    runs('check --url https://marshlane.example/api --mutants', 2, 'cannot be used with --mutants')
    runs('check --tokens package.json', 2, 'need the --url')
  })
})
