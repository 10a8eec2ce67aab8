// Alternatives of a condition that hold on many rows are no part of a union of keys, which is slow with many.
import { expect } from 'chai'
import { type RootOperationNode, sql } from 'kysely'
import { rulebook, toMany } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { mariadb } from 'pachter/sql'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { engines } from '../support/engines.js'

const book = rulebook({
  me: { shape: z.object({ id: z.string(), stage: z.string() }), key: 'id' },
  records: {
    order: {
      shape: z.object({ id: z.string(), stage: z.string(), at: z.int() }),
      key: 'id',
      links: { watchers: toMany('watcher', 'orderId') },
    },
    watcher: { shape: z.object({ id: z.string(), orderId: z.string(), personId: z.string() }), key: 'id' },
  },
}).rules({
  order: (order, { me, signedIn }) => ({
    may: { read: [signedIn.provided(order.stage.is(me.stage)), signedIn.provided(order.watchers.some((w) => w.personId.is(me.id)))] },
  }),
})
const ORDERS = 600
/** Of every hundred orders, one is held. */
const stageOf = (at: number) => (at % 100 === 0 ? 'held' : at % 2 === 0 ? 'packed' : 'sent')

describe('alternatives that hold on many rows', () => {
  for (const { name, dialect, open } of engines)
    it(`are found otherwise than few, with the same results, in ${name}`, async () => {
      const db = await open(book)
      const orders = Array.from({ length: ORDERS }, (_, at) => ({ id: `o-${at}`, stage: stageOf(at), at }))
      for (let from = 0; from < ORDERS; from += 200)
        await db
          .insertInto('order')
          .values(orders.slice(from, from + 200))
          .execute()
      await db.insertInto('watcher').values({ id: 'w', orderId: 'o-1', personId: 'ada' }).execute()
      let made: string[] = []
      const noting = db.withPlugin({
        transformQuery({ node }: { node: RootOperationNode }) {
          made.push(JSON.stringify(node))
          return node
        },
        transformResult: async ({ result }) => result,
      })
      const store = openStore(book, overKysely(noting, dialect))
      /** Whether the last query has a union of keys. */
      const hasUnion = () => / union /.test(made.at(-1) as string)
      for (const [stage, isFew] of [
        ['held', true],
        ['packed', false],
      ] as const) {
        made = []
        const mine = store.for({ id: 'ada', stage })
        const seen = orders.filter((order) => order.stage === stage || order.id === 'o-1')
        const newest = [...seen].reverse().slice(0, 20)
        const page = await mine.page('order', { sort: ['-at'], size: 20 })
        expect(page.records, stage).to.deep.equal(newest)
        const isUnion = dialect === mariadb && isFew
        expect(hasUnion(), `list ${stage}`).to.equal(isUnion)
        expect(await mine.count('order'), stage).to.equal(seen.length)
        expect(hasUnion(), `count ${stage}`).to.equal(isUnion)
        const queries = await mine.queries<{ order: { id: string; at: number } }>()
        const [sum] = await queries
          .selectFrom('order')
          .select(({ fn }) => fn.sum('at').as('sum'))
          .execute()
        expect(Number(sum?.sum), stage).to.equal(seen.reduce((sum, { at }) => sum + at, 0))
        // In a transaction nothing is found out, because that could lock many rows. What is known is used.
        const again = await mine.transaction((tx) => tx.page('order', { sort: ['-at'], size: 20 }))
        expect(again.records, stage).to.deep.equal(newest)
      }
      // What was found out is used for some minutes. When it is no longer true, results are still right.
      await db
        .updateTable('order')
        .set({ stage: 'held' })
        .where(sql`${sql.ref('stage')}`, '=', 'packed')
        .execute()
      for (const stage of ['held', 'packed']) {
        const count = stage === 'held' ? ORDERS / 2 + 1 : 1
        expect(await store.for({ id: 'ada', stage }).count('order'), stage).to.equal(count)
      }
    })
})
