// What an answer says at its edges: many faults, objects that are not there yet, and what a migration leaves to the application.
import { expect } from 'chai'
import { rulebook } from 'pachter'
import { routes } from 'pachter/http'
import { rowSecurity } from 'pachter/sql'
import { inMemory, openStore } from 'pachter/store'
import { z } from 'zod'

const id = z.string()
const note = z.object({ id, lines: z.array(z.string().min(2)), place: z.object({ row: z.int(), bed: z.string().optional() }).nullable() })
const book = rulebook({ me: { shape: z.object({ id }), key: 'id' }, records: { note: { shape: note, key: 'id' } } })
  .routines({ move: ({ signedIn }) => [signedIn] })
  .rules({
    note: (_, { signedIn }) => ({
      may: {
        read: [signedIn],
        create: [signedIn.overriding('id')],
        update: [signedIn, signedIn.within('move').titled('while moving')],
        delete: [signedIn.within('move').titled('at the end')],
      },
    }),
  })

describe('an answer at its edges', () => {
  for (const [count, more] of [
    [99, undefined],
    [100, undefined],
    [101, 'and 1 more'],
    [150, 'and 50 more'],
  ] as const)
    it(`names ${count} faults${more === undefined ? ' all' : `: 100, ${more}`}`, async () => {
      const store = openStore(book, inMemory())
      const lines = Array.from({ length: count }, () => 'x')
      const error = await store
        .for({ id: 'ada' })
        .create('note', { id: 'n', lines, place: null })
        .then(
          () => undefined,
          (reason) => reason as { message: string; faults: readonly { problem: string }[] },
        )
      expect(error?.faults).to.have.length(Math.min(count, 100) + (more === undefined ? 0 : 1))
      expect(error?.message.includes('more.')).to.equal(more !== undefined)
      if (more !== undefined) expect(error?.message).to.include(more)
    })

  it('merges a patch into an object that is not there yet', async () => {
    const store = openStore(book, inMemory({ note: [{ id: 'n', lines: [], place: null }] }))
    const handle = routes(book, store, { identity: Object.assign(async () => ({ id: 'ada' }), { automatic: false }), insecure: true })
    const patched = await handle(
      new Request('http://here/note/n', {
        method: 'PATCH',
        headers: { 'content-type': 'application/merge-patch+json' },
        body: JSON.stringify({ place: { row: 4, bed: null } }),
      }),
    )
    expect([patched.status, await patched.json()]).to.deep.equal([200, { id: 'n', lines: [], place: { row: 4 } }])
  })

  it('says of row security only the clauses that need a routine', () => {
    const left = rowSecurity(book, { role: 'reports' }).left.note ?? []
    expect(left.filter((one) => one.includes('within a routine'))).to.deep.equal([
      'update: while moving: applies within a routine only',
      'delete: at the end: applies within a routine only',
    ])
  })
})
