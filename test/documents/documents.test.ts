import { expect } from 'chai'
import { forever, isPachterError, now, rulebook, toMany, toOne } from 'pachter'
import { type DocumentOptions, documentFilter } from 'pachter/documents'
import { z } from 'zod'
import { agreesInDocuments, matching } from '../support/documents.js'

const book = rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id' },
  records: {
    plot: {
      shape: z.object({
        id: z.string(),
        holderId: z.string().nullable(),
        town: z.string(),
        sownOn: z.string().optional(),
        beds: z.array(z.object({ crop: z.string(), keeperId: z.string().nullable() })),
      }),
      key: 'id',
      times: ['sownOn'],
      links: { shares: toMany('share', 'plotId') },
    },
    share: { shape: z.object({ id: z.string(), plotId: z.string(), memberId: z.string() }), key: 'id' },
    entry: { shape: z.object({ id: z.string(), plotId: z.string() }), key: 'id', links: { plot: toOne('plot', 'plotId') } },
    remark: {
      shape: z.object({ id: z.string(), under: z.string().nullable(), authorId: z.string() }),
      key: 'id',
      links: { above: toOne('remark', 'under') },
    },
  },
})
  .standings({
    plot: (plot, { me }) => ({
      holder: plot.holderId.is(me.id),
      helper: plot.shares.some((share) => share.memberId.is(me.id)),
      keeper: plot.beds.some((bed) => bed.keeperId.is(me.id).and(bed.crop.is('leek'))),
    }),
  })
  .rules({
    plot: (plot, { standing: { holder, helper, keeper }, anyone }) => ({
      may: {
        read: [holder, helper, keeper],
        update: [anyone.provided(plot.sownOn.orElse(forever).isBefore(now))],
        delete: [anyone.provided(plot.holderId.is(plot.town))],
      },
    }),
    entry: (entry) => ({ may: { read: [entry.plot.standing.holder] } }),
    remark: (remark, { me, anyone }) => ({
      may: {
        read: [
          anyone.provided(remark.authorId.is(me.id)),
          anyone.provided(remark.ancestors('above').some((above) => above.authorId.is(me.id))),
        ],
      },
    }),
  })

const WORLD: { readonly [type: string]: readonly { readonly id: string; readonly [field: string]: unknown }[] } = {
  plot: [
    { id: 'p-1', holderId: 'm-1', town: 't', beds: [] },
    { id: 'p-2', holderId: null, town: 't', beds: [{ crop: 'leek', keeperId: null }] },
    {
      id: 'p-3',
      holderId: 'm-2',
      town: 'm-2',
      beds: [
        { crop: 'leek', keeperId: 'm-2' },
        { crop: 'bean', keeperId: 'm-1' },
      ],
    },
    { id: 'p-4', holderId: 'm-2', town: 't', beds: [{ crop: 'leek', keeperId: 'm-1' }] },
    { id: 'p-5', holderId: 'm-2', town: 't', beds: [] },
  ],
  share: [
    { id: 'h-1', plotId: 'p-5', memberId: 'm-1' },
    { id: 'h-2', plotId: 'p-5', memberId: 'm-3' },
  ],
  entry: [
    { id: 'e-1', plotId: 'p-1' },
    { id: 'e-2', plotId: 'p-2' },
  ],
  remark: [
    { id: 'r-1', under: null, authorId: 'm-1' },
    { id: 'r-2', under: 'r-1', authorId: 'm-2' },
    { id: 'r-3', under: 'r-2', authorId: 'm-3' },
    // A ring, in which nobody is above themselves.
    { id: 'r-4', under: 'r-5', authorId: 'm-3' },
    { id: 'r-5', under: 'r-4', authorId: 'm-1' },
  ],
}
const stored = (type: string) => (WORLD[type] ?? []).map(({ id, ...rest }) => ({ _id: id, ...rest }))
const options: DocumentOptions = {
  find: async (type, filter, fields) =>
    matching(stored(type), filter).map((row) => Object.fromEntries(fields.map((field) => [field, (row as never)[field]]))),
  name: (_type, field) => (field === 'id' ? '_id' : field),
}

describe('a filter document', () => {
  it('matches what the condition holds on, or is refused: random conditions, and documents that fit no shape', async () => {
    const { said, unsaid } = await agreesInDocuments(300)
    expect(said / (said + unsaid)).to.be.greaterThan(0.7)
  })

  for (const id of ['m-1', 'm-2', 'm-3', 'm-9', null])
    it(`lets ${id ?? 'a visitor'} see what the evaluator does`, async () => {
      const view = book.for(id === null ? null : { id }, { records: WORLD as never })
      for (const type of ['plot', 'share', 'entry', 'remark'] as const) {
        const seen = matching(stored(type), await documentFilter(view, 'read', type, options)).map(({ _id }) => _id)
        const wanted = view.filter(type, WORLD[type] as never[]).map((row: { id: string }) => row.id)
        expect(seen, type).to.deep.equal(wanted)
      }
    })

  it('names a key by what the documents call it, and is never more than it has to be', async () => {
    const view = book.for({ id: 'm-1' })
    expect(JSON.stringify(await documentFilter(view, 'read', 'plot', options))).to.include('"_id":{"$in":["p-5"]}')
    expect(await documentFilter(view, 'delete', 'share', options)).to.deep.equal({ $nor: [{}] })
  })

  const REFUSED: readonly [what: string, type: string, action: string, given: DocumentOptions][] = [
    ['a link, where nothing finds linked records', 'plot', 'read', {}],
    ['a time that is held as text', 'plot', 'update', options],
    ['a field that documents would take for a path', 'plot', 'delete', { ...options, name: (_type, field) => `a.${field}` }],
  ]
  for (const [what, type, action, given] of REFUSED)
    it(`is refused for ${what}`, async () => {
      const error = await documentFilter(book.for({ id: 'm-1' }), action as never, type as never, given).catch((one: unknown) => one)
      expect(isPachterError(error, 'NOT_EXPRESSIBLE'), String(error)).to.equal(true)
    })
})
