import { spawnSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { expect } from 'chai'
import { inMemory, openStore } from 'pachter/store'
import { generateWorld, worldText } from '../../examples/world/generate.js'
import { openWorld, today } from '../../examples/world/open.js'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'

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
    ['bram', 'plot', 'p-02 p-03 p-06', 'his own and the vacant ones'],
    ['greta', 'plot', 'p-06', 'a member of no site sees what everybody sees'],
    ['pavel', 'plot', 'p-06', 'known to no record'],
    ['visitor', 'plot', 'p-06', 'what is public'],
    ['farah', 'invoice', 'v-01 v-02 v-03 v-04 v-05 v-06 v-07 v-08 v-09 v-10', 'all the bills'],
    ['tomasz', 'plot', 'p-01 p-02 p-03 p-04 p-06', 'his site'],
    ['bram', 'job', 'j-02 j-05 j-06', 'assigned by id, and by email in another letter case'],
    ['greta', 'job', 'j-04', 'assigned by email'],
    ['bram', 'share', 'h-01 h-02', 'shared with him'],
    ['odile', 'share', 'h-02', 'given by her; the one to her has lapsed'],
    ['visitor', 'notice', 'n-01 n-03 n-04', 'published, and not before its time'],
    ['tomasz', 'notice', 'n-01 n-02 n-03 n-04 n-06', 'his own drafts as well'],
    ['visitor', 'invoice', '', 'nobody else’s money'],
    ['ines', 'invoice', 'v-01', 'her own bill'],
    ['pavel', 'member', '', 'no record knows him'],
    ['ines', 'member', 'm-01 m-02 m-03 m-04 m-09 m-10 m-11', 'herself, and those of her site'],
    ['greta', 'member', 'm-08', 'herself'],
    ['bram', 'remark', 'r-01', 'his own'],
  ]
  for (const [name, type, ids, why] of EXPECTED) {
    it(`${name} sees of ${type}: ${ids || 'nothing'} (${why})`, async () => expect(await sees(name, type)).to.equal(ids))
  }

  it('hides what is not for everybody', async () => {
    const fields = async (name: keyof typeof everybody, type: string, key: string) =>
      Object.keys(await store.for(everybody[name]).get(type as 'plot', key)).join(' ')
    expect(await fields('visitor', 'plot', 'p-06')).to.equal('id number siteId state')
    expect(await fields('ines', 'plot', 'p-01')).to.equal('id number siteId holderId state planting rentDue')
    expect(await fields('tomasz', 'plot', 'p-01')).to.include('wardenNotes')
    expect(await fields('ines', 'member', 'm-03')).to.equal('id name siteIds')
    expect(await fields('visitor', 'site', 's-01')).to.equal('id name')
  })

  it('stamps who wrote and when, and locks what is filed', async () => {
    const world = openStore(book, inMemory(generateWorld()), { now: today })
    const entry = await world.for(people.ines).create('entry', { plotId: 'p-01', siteId: 's-01', audience: 'site', text: 'Hello' })
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

  it('gives everybody the same from SQLite, from memory and by filtering an array', async () => {
    const data = generateWorld()
    const memory = openStore(book, inMemory(data), { now: today })
    for (const [name, claims] of Object.entries(everybody)) {
      const view = book.for(claims, { now: today })
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
          const allowed = mine.viewpoint?.verdict('delete', type, record).allowed
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
      env: { ...process.env, NO_COLOR: '1' },
    })
    expect(status, stderr).to.equal(0)
    for (const words of ['ines', 'visitor', 'plots: 3 of 12', 'NOT_FOUND', 'REFUSED', 'untouched', 'system', 'npx pachter why'])
      expect(stdout).to.include(words)
  })
})
