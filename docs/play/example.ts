// What the live page begins with.

export const RULES = `import { rulebook, toMany, toOne } from 'pachter'
import { z } from 'zod'

const Plot = z.object({ id: z.string(), holderId: z.string().nullable(), state: z.enum(['vacant', 'let']), rent: z.number() })
const Share = z.object({ id: z.string(), plotId: z.string(), memberId: z.string() })

export const book = rulebook({
  me: { shape: z.object({ id: z.string(), roles: z.array(z.enum(['warden'])) }), key: 'id' },
  records: {
    plot: { shape: Plot, key: 'id', links: { shares: toMany('share', 'plotId') } },
    share: { shape: Share, key: 'id', links: { plot: toOne('plot', 'plotId') } },
  },
})
  .standings({
    plot: (plot, { me }) => ({
      holder: plot.holderId.is(me.id),
      helper: plot.shares.some((share) => share.memberId.is(me.id)),
    }),
  })
  .rules({
    plot: (plot, { standing: { holder, helper }, role, anyone }) => ({
      may: {
        read: [holder, helper.except('rent'), role('warden'), anyone.provided(plot.state.is('vacant')).only('state')],
        update: [holder.only('state'), role('warden')],
        delete: [role('warden').provided(plot.state.is('vacant'))],
      },
    }),
    share: (share) => ({ may: { read: [share.plot.standing.holder], delete: [share.plot.standing.holder] } }),
  })
`

export const RECORDS = `{
  "plot": [
    { "id": "p-01", "holderId": "ines", "state": "let", "rent": 30 },
    { "id": "p-02", "holderId": "bram", "state": "let", "rent": 28 },
    { "id": "p-03", "holderId": null, "state": "vacant", "rent": 25 }
  ],
  "share": [{ "id": "h-01", "plotId": "p-01", "memberId": "bram" }]
}
`

export const PEOPLE = `{
  "ines": { "id": "ines", "roles": [] },
  "bram": { "id": "bram", "roles": [] },
  "tomasz": { "id": "tomasz", "roles": ["warden"] }
}
`
