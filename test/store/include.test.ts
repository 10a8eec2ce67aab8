import { expect } from 'chai'
import { rulebook, toMany, toOne } from 'pachter'
import { inMemory, openStore } from 'pachter/store'
import { z } from 'zod'
import { generateWorld } from '../../examples/world/generate.js'
import { openWorld, today } from '../../examples/world/open.js'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'

type Rec = Record<string, any>

describe('what comes along with a list', () => {
  it('is what the asker would list, record by record and link by link, for every person and engine', async () => {
    for (const store of [openStore(book, inMemory(generateWorld()), { now: today }), (await openWorld()).store]) {
      for (const claims of [...Object.values(people), null]) {
        const mine = store.for(claims)
        const plots = (await mine.list('plot')) as Rec[]
        const shares = (await mine.list('share')) as Rec[]
        const members = (await mine.list('member')) as Rec[]
        const site = (await mine.list('site')) as Rec[]
        const expected = plots.map((plot) => ({
          ...plot,
          shares: shares
            .filter(({ plotId }) => plotId === plot.id)
            .map((share) => ({
              ...share,
              member: members.find(({ id }) => id === share.memberId),
              plot: plots.find(({ id }) => id === share.plotId),
            })),
          holder: members.find(({ id }) => id === plot.holderId),
          site: site.find(({ id }) => id === plot.siteId),
        }))
        const found = await mine.list('plot', { include: { shares: { include: { member: true, plot: true } }, holder: true, site: true } })
        expect(found, claims?.id).to.deep.equal(expected)
        const jobs = (await mine.list('job', { include: { assignees: { sort: ['-name'] } } })) as Rec[]
        for (const job of jobs) {
          const assigned = members.filter(({ id }) => job.assigneeIds.includes(id)).sort((a, b) => (a.name < b.name ? 1 : -1))
          expect(job.assignees).to.deep.equal(assigned)
        }
      }
    }
  })

  it('is typed, narrowed and one query for each link', async () => {
    const mine = openStore(book, inMemory(generateWorld()), { now: today }).for(people.bram)
    const [plot] = await mine.list('plot', {
      fields: ['state'],
      include: { shares: { where: (share) => share.level.is('tend') } },
      limit: 1,
    })
    const levels: string[] = (plot?.shares ?? []).map(({ level }) => level)
    expect(levels).to.deep.equal(['tend'])
    expect(Object.keys(plot ?? {})).to.have.members(['id', 'state', 'shares'])
    // @ts-expect-error: there is no such link.
    const wrong = mine.list('plot', { include: { share: true } })
    expect(await wrong.catch((error: Error) => error.message)).to.include('Did you mean "shares"')
    const nested = Array.from({ length: 12 }).reduce((inner: object) => ({ parent: { include: inner } }), {})
    for (const include of [5, [], { parent: 5 }, { parent: { limit: 1 } }, nested] as never[])
      expect(await mine.list('remark', { include }).catch((error: { code: string }) => error.code)).to.equal('BAD_QUERY')
  })

  it('comes with the verdicts, typed too', async () => {
    const mine = openStore(book, inMemory(generateWorld()), { now: today }).for(people.bram)
    const [first] = await mine.list('plot', {
      withActions: ['update'],
      include: { shares: { where: (share) => share.level.is('tend') } },
      limit: 1,
    })
    const levels: string[] = (first?.record.shares ?? []).map(({ level }) => level)
    expect([levels, first?.may.update?.allowed]).to.deep.equal([['tend'], true])
    const page = await mine.page('plot', { withActions: ['update'], include: { site: true }, size: 1 })
    const name: string | undefined = page.records[0]?.record.site?.name
    expect(name).to.be.a('string')
  })

  it('reveals nothing about fields that a link uses and the asker does not see', async () => {
    const Plot = z.object({ id: z.string(), holderId: z.string() })
    const Note = z.object({ id: z.string(), plotId: z.string(), text: z.string() })
    const shy = rulebook({
      me: { shape: z.object({ id: z.string() }), key: 'id' },
      records: {
        member: { shape: z.object({ id: z.string() }), key: 'id' },
        plot: { shape: Plot, key: 'id', links: { holder: toOne('member', 'holderId'), notes: toMany('note', 'plotId') } },
        note: { shape: Note, key: 'id' },
      },
    }).rules({
      member: (_member, { anyone }) => ({ may: { read: [anyone] } }),
      plot: (plot, { anyone, me }) => ({ may: { read: [anyone.only('id'), anyone.provided(plot.holderId.is(me.id))] } }),
      note: (_note, { anyone, signedIn }) => ({ may: { read: [anyone.only('text'), signedIn] } }),
    })
    const data = { member: [{ id: 'a' }, { id: 'b' }], plot: [{ id: 'p', holderId: 'a' }], note: [{ id: 'n', plotId: 'p', text: 'x' }] }
    const seen = async (id: string | null) =>
      (
        await openStore(shy, inMemory(data))
          .for(id ? { id } : null)
          .list('plot', { include: { holder: true, notes: true } })
      )[0]
    expect(await seen('a')).to.deep.equal({ id: 'p', holderId: 'a', holder: { id: 'a' }, notes: data.note })
    expect(await seen('b')).to.deep.equal({ id: 'p', holder: undefined, notes: data.note })
    expect(await seen(null)).to.deep.equal({ id: 'p', holder: undefined, notes: [] })
  })
})
