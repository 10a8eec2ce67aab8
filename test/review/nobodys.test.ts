// Records on which nobody can have a standing.
import { expect } from 'chai'
import { rulebook, toMany, toOne } from 'pachter'
import { recordsOfNobody } from 'pachter/internal/review'
import { z } from 'zod'

const id = z.string()
const garden = rulebook({
  me: { shape: z.object({ id, siteIds: z.array(id) }), key: 'id', links: { member: toOne('member', 'id') } },
  records: {
    member: { shape: z.object({ id, lead: z.boolean() }), key: 'id' },
    plot: {
      shape: z.object({ id, holderId: id.nullable(), siteId: id.nullable() }),
      key: 'id',
      links: { shares: toMany('share', 'plotId'), holding: toOne('member', 'holderId') },
    },
    share: { shape: z.object({ id, plotId: id, memberId: id.nullable(), until: z.date() }), key: 'id' },
    entry: { shape: z.object({ id, plotId: id }), key: 'id', links: { plot: toOne('plot', 'plotId') } },
  },
})
  .standings({
    plot: (plot, { me }) => ({
      holder: plot.holderId.is(me.id),
      helper: plot.shares.some((share) => share.memberId.is(me.id)),
      crowd: plot.shares.atLeast(2, (share) => share.memberId.is(me.id)),
      warden: me.siteIds.has(plot.siteId),
      lead: me.member.lead.is(true),
    }),
  })
  .standings({ entry: (entry) => ({ host: entry.plot.standing.holder, anyHelper: entry.plot.standing.helper }) })
const records = {
  plot: [
    { id: 'held', holderId: 'm-1', siteId: 's' },
    { id: 'empty', holderId: null, siteId: null },
    { id: 'blank', holderId: ' ', siteId: 's' },
    { id: 'shared', holderId: null, siteId: null },
  ],
  share: [
    { id: 'h1', plotId: 'shared', memberId: 'm-2', until: new Date(0) },
    { id: 'h2', plotId: 'empty', memberId: null, until: new Date(0) },
  ],
  entry: ['held', 'empty', 'shared', 'gone'].map((plotId) => ({ id: `of ${plotId}`, plotId })),
  member: [],
}

describe('records of nobody', () => {
  for (const [type, standing, expected] of [
    ['plot', 'holder', ['empty', 'blank', 'shared']],
    ['plot', 'helper', ['held', 'empty', 'blank']],
    ['plot', 'warden', ['empty', 'shared']],
    ['plot', 'lead', []],
    ['entry', 'host', ['of empty', 'of shared', 'of gone']],
    ['entry', 'anyHelper', ['of held', 'of empty', 'of gone']],
    ['entry', undefined, ['of empty', 'of gone']],
  ] as const)
    it(`by ${standing ?? 'any standing'} of ${type}`, () => {
      const found = recordsOfNobody(garden, type, records, { standing, now: 0 })
      expect(found.map((row) => row.id)).to.deep.equal(expected)
    })

  it('are none where it cannot be told', () => {
    // A count is not worked out without a person.
    expect(recordsOfNobody(garden, 'plot', records, { standing: 'crowd', now: 0 })).to.deep.equal([])
    expect(() => recordsOfNobody(garden, 'plot', records, { standing: 'holdr', now: 0 })).to.throw('Did you mean "holder"?')
  })
})
