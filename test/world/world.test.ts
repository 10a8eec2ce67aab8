import { spawnSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { expect } from 'chai'
import { inMemory, openStore } from 'pachter/store'
import { generateWorld, worldText } from '../../examples/world/generate.js'
import { openWorld, today } from '../../examples/world/open.js'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'
import { plain } from '../support/command.js'

const everybody = { ...people, visitor: null }
const types = Object.keys(book.model.types) as 'plot'[]

describe('the demo world', () => {
  let store: Awaited<ReturnType<typeof openWorld>>['store']

  before(async () => {
    store = (await openWorld()).store
  })

  const sees = async (name: keyof typeof everybody, type: string) =>
    ((await store.for(everybody[name]).list(type as 'plot')) as { id: string }[]).map(({ id }) => id).join(' ')

  const EXPECTED: readonly [keyof typeof everybody, string, string, why: string][] = [
    ['ines', 'plot', 'p-01 p-06', 'her own and the vacant ones'],
    ['bram', 'plot', 'p-01 p-02 p-03 p-06 p-10', 'his own, the two shared with him, and the vacant ones'],
    ['odile', 'plot', 'p-06 p-10', 'her own; the share of the first has lapsed'],
    ['greta', 'plot', 'p-06 p-10', 'she is one of two who hold the tenth'],
    ['pavel', 'plot', 'p-06', 'known to no record'],
    ['visitor', 'plot', 'p-06', 'what is public'],
    ['hugo', 'plot', '', 'banned, though he holds plots'],
    ['hugo', 'entry', '', 'banned: not even what is for everyone'],
    ['farah', 'invoice', 'v-01 v-02 v-03 v-04 v-05 v-06 v-07 v-08 v-09 v-10', 'all the bills'],
    ['tomasz', 'plot', 'p-01 p-02 p-03 p-04 p-06', 'his site'],
    ['yuki', 'plot', 'p-03 p-05 p-06 p-07 p-08 p-09 p-10 p-11 p-12', 'her sites, and one that is shared with every warden'],
    ['bram', 'job', 'j-02 j-03 j-05 j-06', 'assigned by id, by email in another letter case, and to his team'],
    ['greta', 'job', 'j-03 j-04', 'assigned to her team and by email'],
    ['bram', 'share', 'h-01 h-02 h-04', 'shared with him, and by him'],
    ['yuki', 'share', 'h-04', 'shared with her role'],
    ['odile', 'share', 'h-02', 'given by her; the one to her has lapsed'],
    ['visitor', 'notice', 'n-01 n-03 n-04', 'published, and not before its time'],
    ['tomasz', 'notice', 'n-01 n-02 n-03 n-04 n-06', 'his own drafts as well'],
    ['visitor', 'invoice', '', 'nobody else’s money'],
    ['ines', 'invoice', 'v-01', 'her own bill'],
    ['greta', 'invoice', 'v-08', 'the bill of a plot that she holds with Odile'],
    ['pavel', 'member', '', 'no record knows him'],
    ['ines', 'member', 'm-01 m-02 m-03 m-04 m-09', 'herself, and those of her site'],
    ['greta', 'member', 'm-08', 'herself'],
    ['visitor', 'entry', 'e-03 e-06 e-09 e-12 e-15', 'what is for everyone'],
    ['greta', 'entry', 'e-03 e-06 e-09 e-10 e-12 e-15', 'and that of her plot'],
    ['ines', 'entry', 'e-01 e-02 e-03 e-06 e-09 e-12 e-13 e-14 e-15', 'and that of her site'],
    ['bram', 'entry', 'e-01 e-02 e-03 e-05 e-06 e-08 e-09 e-10 e-12 e-13 e-14 e-15', 'and that of what is shared with him'],
    ['ines', 'remark', 'r-01 r-02 r-03 r-04 r-05 r-06', 'on entries that she may read'],
    ['yuki', 'remark', 'r-02', 'her own'],
    ['visitor', 'remark', '', 'on no entry for everyone'],
  ]
  for (const [name, type, ids, why] of EXPECTED) {
    it(`${name} sees of ${type}: ${ids || 'nothing'} (${why})`, async () => expect(await sees(name, type)).to.equal(ids))
  }

  it('hides what is not public', async () => {
    const fields = async (name: keyof typeof everybody, type: string, key: string) =>
      Object.keys(await store.for(everybody[name]).get(type as 'plot', key)).join(' ')
    expect(await fields('visitor', 'plot', 'p-06')).to.equal('id number siteId state')
    expect(await fields('ines', 'plot', 'p-01')).to.equal('id number siteId holderId coHolderIds state planting rentDue')
    expect(await fields('tomasz', 'plot', 'p-01')).to.include('wardenNotes')
    expect(await fields('ines', 'member', 'm-03')).to.equal('id name siteIds')
    expect(await fields('bram', 'plot', 'p-01'), 'a guest').to.equal('id number siteId holderId coHolderIds state planting')
    expect(await fields('visitor', 'site', 's-01')).to.equal('id name')
    expect(await fields('ines', 'site', 's-01'), 'an insider').to.equal('id name path gate')
    expect(await fields('ines', 'site', 's-02')).to.equal('id name')
    expect(await fields('odile', 'site', 's-02'), 'the steward of all by the river').to.equal('id name path gate')
    expect(await fields('odile', 'site', 's-03')).to.equal('id name')
  })

  it('stamps who wrote and when, and locks what is filed', async () => {
    const world = openStore(book, inMemory(generateWorld()), { now: today })
    const entry = await world.for(people.ines).create('entry', { plotId: 'p-01', audience: 'site', text: 'Hello' })
    expect(entry).to.include({ authorId: 'm-01', writtenAt: today.toISOString() })
    const failure = (work: Promise<unknown>) =>
      work.then(
        () => 'done',
        (error: Error) => error.message,
      )
    expect(await failure(world.for(people.tomasz).delete('inspection', 'i-01'))).to.include('until its season is over')
    expect(await failure(world.for(people.kofi).delete('inspection', 'i-01'))).to.include('until its season is over')
    expect(await failure(world.for(people.kofi).delete('inspection', 'i-05'))).to.equal('done')
    expect(await failure(world.for(people.bram).update('plot', 'p-03', { planting: 'x' }))).to.include('This lease is ending')
    expect(await failure(world.for(people.farah).delete('invoice', 'v-01'))).to.equal('A paid bill is kept.')
  })

  type Try = readonly [
    what: string,
    who: keyof typeof everybody,
    action: 'create' | 'update' | 'delete',
    type: string,
    key: string,
    sent: object,
    outcome: string,
  ]
  const TRIES: readonly Try[] = [
    ['a holder shares their plot', 'ines', 'create', 'share', '', { plotId: 'p-01', memberId: 'm-04', level: 'look' }, 'done'],
    ['and nobody shares another’s', 'ines', 'create', 'share', '', { plotId: 'p-06', memberId: 'm-04', level: 'look' }, 'REFUSED'],
    [
      'nor names a plot that they cannot see',
      'bram',
      'create',
      'share',
      '',
      { plotId: 'p-07', memberId: 'm-04', level: 'look' },
      'REFUSED',
    ],
    [
      'nor shares in another’s name',
      'ines',
      'create',
      'share',
      '',
      { plotId: 'p-01', memberId: 'm-04', level: 'look', grantedById: 'm-02' },
      'REFUSED',
    ],
    [
      'nor with somebody that they cannot see',
      'ines',
      'create',
      'share',
      '',
      { plotId: 'p-01', memberId: 'm-05', level: 'look' },
      'INVALID',
    ],
    ['which is no different from nobody', 'ines', 'create', 'share', '', { plotId: 'p-01', memberId: 'm-77', level: 'look' }, 'INVALID'],
    ['a helper tends', 'bram', 'update', 'plot', 'p-01', { planting: 'beans' }, 'done'],
    ['and changes nothing else', 'bram', 'update', 'plot', 'p-01', { state: 'vacant' }, 'REFUSED'],
    ['whoever may only look does not tend', 'bram', 'update', 'plot', 'p-10', { planting: 'beans' }, 'REFUSED'],
    ['nor whoever helped once', 'odile', 'update', 'plot', 'p-01', { planting: 'beans' }, 'NOT_FOUND'],
    ['one of two holders tends', 'greta', 'update', 'plot', 'p-10', { planting: 'beans' }, 'done'],
    ['a share ends what it began', 'ines', 'delete', 'share', 'h-01', {}, 'done'],
    ['a helper writes in the diary', 'bram', 'create', 'entry', '', { plotId: 'p-01', audience: 'plot', text: 'Watered.' }, 'done'],
    ['a guest does not', 'bram', 'create', 'entry', '', { plotId: 'p-10', audience: 'plot', text: 'Hm.' }, 'REFUSED'],
    ['nor whoever is merely signed in', 'pavel', 'create', 'entry', '', { plotId: 'p-06', audience: 'everyone', text: 'Hm.' }, 'REFUSED'],
    ['the holder clears what others wrote about their plot', 'greta', 'delete', 'entry', 'e-10', {}, 'done'],
    ['whoever reads it does not', 'bram', 'delete', 'entry', 'e-10', {}, 'REFUSED'],
    ['an author clears what is written beneath', 'ines', 'delete', 'remark', 'r-03', {}, 'done'],
    ['and whoever began the thread', 'bram', 'delete', 'remark', 'r-03', {}, 'done'],
    ['but not whoever is further down', 'ines', 'delete', 'remark', 'r-05', {}, 'REFUSED'],
    [
      'an answer belongs to the entry of what it answers',
      'ines',
      'create',
      'remark',
      '',
      { entryId: 'e-01', parentId: 'r-04', text: 'x' },
      'REFUSED',
    ],
    ['as this one does', 'ines', 'create', 'remark', '', { entryId: 'e-02', parentId: 'r-04', text: 'x' }, 'done'],
    ['an assignee finishes', 'bram', 'update', 'job', 'j-02', { state: 'done' }, 'done'],
    ['and does not begin anew', 'bram', 'update', 'job', 'j-03', { state: 'open' }, 'REFUSED'],
    ['points let propose a notice', 'bram', 'create', 'notice', '', { title: 'Swap', text: 'Seeds', state: 'draft' }, 'done'],
    ['too few do not', 'ines', 'create', 'notice', '', { title: 'Swap', text: 'Seeds', state: 'draft' }, 'REFUSED'],
    ['nobody approves their own', 'tomasz', 'update', 'notice', 'n-02', { approved: true }, 'REFUSED'],
    ['the secretary approves', 'kofi', 'update', 'notice', 'n-02', { approved: true }, 'done'],
    ['the banned do nothing', 'hugo', 'update', 'plot', 'p-05', { planting: 'x' }, 'NOT_FOUND'],
    [
      'a warden inspects plots of their own site',
      'tomasz',
      'create',
      'inspection',
      '',
      { plotId: 'p-02', state: 'draft', seasonEndsAt: '2026-10-31T00:00:00.000Z', findings: 'x' },
      'done',
    ],
    [
      'and of no other',
      'tomasz',
      'create',
      'inspection',
      '',
      { plotId: 'p-06', state: 'draft', seasonEndsAt: '2026-10-31T00:00:00.000Z', findings: 'x' },
      'REFUSED',
    ],
  ]
  for (const [what, who, action, type, key, sent, outcome] of TRIES) {
    it(`${what}: ${who} may ${outcome === 'done' ? '' : 'not '}${action} ${type} ${key}`, async () => {
      for (const world of [openStore(book, inMemory(generateWorld()), { now: today }), (await openWorld()).store]) {
        const mine = world.for(everybody[who]) as unknown as Record<string, (...given: unknown[]) => Promise<unknown>>
        const system = world.asSystem('test')
        const before = await system.list(type as 'plot')
        const result = await mine[action]?.(type, ...(action === 'create' ? [sent] : [key, sent])).then(
          () => 'done',
          (error: { code: string }) => error.code,
        )
        expect(result).to.equal(outcome)
        if (outcome !== 'done') expect(await system.list(type as 'plot')).to.deep.equal(before)
        else expect(await system.list(type as 'plot')).not.to.deep.equal(before)
      }
    })
  }

  it('reads the roles of a person from their record, at every call', async () => {
    const world = openStore(book, inMemory(generateWorld()), { now: today })
    const ines = world.for(people.ines)
    const system = world.asSystem('change what she is')
    expect(await ines.has('openLedger')).to.equal(false)
    expect(await ines.may('create', 'plot')).to.equal('never')
    await system.update('member', 'm-01', { roles: ['warden', 'treasurer'] })
    expect(await ines.list('plot')).to.have.length(12)
    expect(await ines.has('openLedger')).to.equal(true)
    expect(await ines.may('create', 'plot')).to.equal('depending')
    await system.update('member', 'm-01', { banned: true })
    expect(await ines.list('plot')).to.deep.equal([])
    expect(await ines.has('openLedger')).to.equal(false)
  })

  it('gives each person the same from SQLite, from memory and by filtering an array', async () => {
    const data = generateWorld()
    const memory = openStore(book, inMemory(data), { now: today })
    for (const [name, claims] of Object.entries(everybody)) {
      const view = book.for(claims, { now: today, records: data })
      for (const type of types) {
        const list = await store.for(claims).list(type)
        expect(await memory.for(claims).list(type), `${name}, ${type}`).to.deep.equal(list)
        expect(view.filter(type, data[type]), `${name}, ${type}`).to.have.deep.members(list)
      }
    }
  })

  it('shows and does the same: what a verdict allows can be done, and nothing else', async () => {
    for (const [name, claims] of Object.entries(everybody)) {
      const mine = openStore(book, inMemory(generateWorld()), { now: today }).for(claims)
      for (const type of types) {
        for (const record of generateWorld()[type]) {
          const { allowed } = await mine.verdict('delete', type, record.id)
          const done = await mine.delete(type, record.id).then(
            () => true,
            () => false,
          )
          expect(done, `${name} deletes ${type} ${record.id}`).to.equal(allowed)
        }
      }
    }
  })

  it('has no warning, and no role that its owner could give to themselves', async () => {
    expect(book.warnings).to.deep.equal([])
    for (const changes of [{ roles: ['secretary'] }, { siteIds: ['s-02'] }, { banned: true }] as const) {
      const error = await store
        .for(people.ines)
        .update('member', 'm-01', changes as never)
        .catch((caught: unknown) => caught)
      expect(error, JSON.stringify(changes)).to.have.property('code', 'REFUSED')
    }
    expect(await store.for(people.ines).update('member', 'm-01', { name: 'Ines V.' })).to.include({ name: 'Ines V.' })
  })

  it('is what its generator makes, at any size', async () => {
    for (const [type, records] of Object.entries(generateWorld())) {
      expect(readFileSync(new URL(`../../examples/world/data/${type}.json`, import.meta.url), 'utf8'), type).to.equal(worldText(records))
    }
    const big = generateWorld(1500)
    expect(big.plot).to.have.length(1500)
    expect(new Set(big.plot.map(({ id }) => id)).size).to.equal(1500)
    const loaded = openStore(book, inMemory(), { now: today }).asSystem('check the shapes')
    for (const type of types) for (const record of big[type].slice(0, 50)) await loaded.create(type, record)
  })

  it('shows itself in a tour, which ends with what to try next', () => {
    const tour = fileURLToPath(new URL('../../examples/world/tour.ts', import.meta.url))
    const { status, stdout, stderr } = spawnSync(process.execPath, ['--import', 'jiti/register', tour], {
      encoding: 'utf8',
      env: plain,
    })
    expect(status, stderr).to.equal(0)
    for (const words of ['ines', 'visitor', 'plots: 5 of 12', 'NOT_FOUND', 'REFUSED', 'untouched', 'system', 'npx pachter why'])
      expect(stdout).to.include(words)
  })
})
