// What is asked before something is done holds until it is done: states, tags, filters, rights, at the same time as others write.
import { expect } from 'chai'
import { rulebook, toMany, toOne } from 'pachter'
import { routes } from 'pachter/http'
import { overKysely } from 'pachter/kysely'
import { openStore, type Store } from 'pachter/store'
import { z } from 'zod'
import { engines } from '../support/engines.js'

const id = z.string()
const book = rulebook({
  me: { shape: z.object({ id }), key: 'id', links: { member: toOne('member', 'id') } },
  records: {
    member: { shape: z.object({ id, warden: z.boolean() }), key: 'id' },
    voucher: {
      shape: z.object({ id, ownerId: id, state: z.enum(['open', 'redeemed']) }),
      key: 'id',
      links: { holds: toMany('hold', 'voucherId') },
      actions: ['redeem', 'stamp'],
    },
    hold: { shape: z.object({ id, voucherId: id, memberId: id }), key: 'id' },
    payment: { shape: z.object({ id, voucherId: id }), key: 'id' },
    card: {
      shape: z.object({
        id,
        state: z.enum(['open', 'kept', 'archived']),
        count: z.int(),
        address: z.object({ town: z.string().optional(), street: z.string().optional(), house: z.string().optional() }).optional(),
      }),
      key: 'id',
    },
  },
})
  .routines({ close: ({ me }) => [me.member.warden.is(true)] })
  .rules({
    voucher: (voucher, { me, anyone, signedIn }) => ({
      may: {
        read: [signedIn],
        redeem: [anyone.provided(voucher.ownerId.is(me.id)).provided(voucher.state.is('open'))],
        stamp: [anyone.provided(voucher.holds.some((hold) => hold.memberId.is(me.id)))],
      },
    }),
    card: (_, { signedIn }) => ({ may: { read: [signedIn], update: [signedIn], delete: [signedIn] } }),
    payment: (_, { signedIn }) => ({ may: { read: [signedIn] } }),
  })

const ROUNDS = Number(process.env.PACHTER_TEST_RACES) || 12

for (const { name, dialect, open } of engines.filter(({ name }) => name !== 'SQLite')) {
  describe(`what is asked holds until it is done, in ${name}`, () => {
    let store: Store<any>
    let asked: (path: string, method: string, body?: object, headers?: object) => Promise<Response>
    const system = () => store.asSystem('test')

    beforeEach(async () => {
      store = openStore(book, overKysely(await open(book), dialect)) as never
      const site = routes(book, store as never, {
        identity: async () => ({ id: 'ann' }),
        insecure: true,
        actions: {
          voucher: {
            redeem: async ({ record, asSystem }) => {
              await asSystem('redeem').update('voucher', record.id as string, { state: 'redeemed' })
              return asSystem('redeem').create('payment', { id: crypto.randomUUID(), voucherId: record.id as string })
            },
            // It relies on what let it, and writes nothing of that.
            stamp: async ({ record, asSystem }) =>
              asSystem('stamp').create('payment', { id: crypto.randomUUID(), voucherId: record.id as string }),
          },
        },
      })
      asked = (path, method, body, headers = {}) => {
        const typed = { 'content-type': 'application/json', authorization: 'Bearer x', ...headers }
        const sent = method === 'GET' || method === 'DELETE' ? {} : { body: JSON.stringify(body ?? {}) }
        return site(new Request(`https://cards.example${path}`, { method, headers: typed, ...sent }))
      }
    })

    async function rounds(work: (key: string) => Promise<void>): Promise<void> {
      for (let round = 0; round < ROUNDS; round++) await work(`k${round}`)
    }

    const card = (key: string) => system().create('card', { id: key, state: 'open', count: 0, address: {} })
    const ok = (responses: readonly Response[]) => responses.filter((one) => one.ok).length

    it('an action is done once, by the first person', () =>
      rounds(async (key) => {
        await system().create('voucher', { id: key, ownerId: 'ann', state: 'open' })
        const done = await Promise.all([1, 2, 3].map(() => asked(`/voucher/${key}/redeem`, 'POST')))
        expect(ok(done), key).to.equal(1)
        expect(await system().count('payment', { where: (payment: any) => payment.voucherId.is(key) })).to.equal(1)
      }))

    it('an action relies on linked records that stay until it is done', () =>
      rounds(async (key) => {
        await system().create('voucher', { id: key, ownerId: 'bob', state: 'open' })
        await system().create('hold', { id: key, voucherId: key, memberId: 'ann' })
        const payments = (inside: any) => inside.count('payment', { where: (payment: any) => payment.voucherId.is(key) })
        let told = 0
        const end = () =>
          system().transaction(async (inside: any) => {
            await inside.delete('hold', key)
            told = await payments(inside)
          })
        await Promise.all([asked(`/voucher/${key}/stamp`, 'POST'), end(), asked(`/voucher/${key}/stamp`, 'POST')])
        expect(await payments(system()), key).to.equal(told)
      }))

    it('one of several changes by one tag passes', () =>
      rounds(async (key) => {
        await card(key)
        const etag = (await asked(`/card/${key}`, 'GET')).headers.get('etag') as string
        const done = await Promise.all([1, 2, 3].map((count) => asked(`/card/${key}`, 'PATCH', { count }, { 'if-match': etag })))
        expect(done.map(({ status }) => status).sort(), key).to.deep.equal([200, 412, 412])
      }))

    it('a change and a deletion by one tag do not both pass', () =>
      rounds(async (key) => {
        await card(key)
        const etag = (await asked(`/card/${key}`, 'GET')).headers.get('etag') as string
        const done = await Promise.all([
          asked(`/card/${key}`, 'PATCH', { count: 1 }, { 'if-match': etag }),
          asked(`/card/${key}`, 'DELETE', undefined, { 'if-match': etag }),
        ])
        expect(ok(done), done.map(({ status }) => status).join()).to.equal(1)
      }))

    it('patches of parts of one object are all kept', () =>
      rounds(async (key) => {
        await card(key)
        const parts = ['town', 'street', 'house']
        const done = await Promise.all(parts.map((part) => asked(`/card/${key}`, 'PATCH', { address: { [part]: part } })))
        expect(ok(done)).to.equal(3)
        expect((await system().get('card', key)).address).to.deep.equal({ town: 'town', street: 'street', house: 'house' })
      }))

    it('a change of several leaves alone what no longer fits its filter', () =>
      rounds(async (key) => {
        await card(key)
        const mine = store.for({ id: 'ann' })
        const archive = () =>
          mine.updateMany('card', { where: (one: any) => one.state.is('open').and(one.id.is(key)) }, { state: 'archived' } as never)
        const remove = () => mine.deleteMany('card', { where: (one: any) => one.state.is('archived').and(one.id.is(key)) })
        await Promise.all(
          [archive(), system().update('card', key, { state: 'kept' } as never), archive(), remove()].map((one) => one.catch(refused)),
        )
        const [left] = await system().list('card', { where: (one: any) => one.id.is(key) })
        // Either it was deleted when it was archived, or it is kept in the end.
        expect(left?.state ?? 'kept', key).to.equal('kept')
      }))

    it('a routine does not begin for a person whose right was revoked', () =>
      rounds(async (key) => {
        await system().ensure('member', 'ann', { warden: true } as never)
        await system().update('member', 'ann', { warden: true } as never)
        let revoked = false
        let late = 0
        const call = () =>
          store
            .for({ id: 'ann' })
            .routine('close', async () => {
              if (revoked) late++
            })
            .catch(refused)
        const revoke = async () => {
          await system().update('member', 'ann', { warden: false } as never)
          revoked = true
        }
        await Promise.all([call(), call(), revoke(), call(), call()])
        expect(late, key).to.equal(0)
      }))

    it('is made sure of once, by however many at once', () =>
      rounds(async (key) => {
        const made = await Promise.all([1, 2, 3, 4, 5, 6].map((count) => system().ensure('card', key, { state: 'open', count } as never)))
        expect(new Set(made.map(({ count }: any) => count)).size, key).to.equal(1)
      }))

    it('locks what a verdict in a transaction was given for', () =>
      rounds(async (key) => {
        await system().create('voucher', { id: key, ownerId: 'ann', state: 'open' })
        const redeem = () =>
          store.for({ id: 'ann' }).transaction(async (inside: any, asSystem: any) => {
            if (!(await inside.verdict('redeem', 'voucher', key)).allowed) return false
            await asSystem('redeem').update('voucher', key, { state: 'redeemed' })
            return true
          })
        expect((await Promise.all([redeem(), redeem(), redeem()])).filter(Boolean)).to.have.length(1)
      }))
  })
}

function refused(error: { code?: string }): void {
  expect(['REFUSED', 'NOT_FOUND', 'BUSY', 'IN_THE_WAY'], String(error)).to.include(error.code)
}
