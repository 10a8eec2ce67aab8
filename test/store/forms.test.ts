import { expect } from 'chai'
import { rulebook } from 'pachter'
import { inMemory, openStore } from 'pachter/store'
import { z } from 'zod'

const Place = z.union([
  z.object({ kind: z.literal('bed'), rows: z.int(), note: z.string().nullish() }),
  z.object({ kind: z.literal('shed'), roof: z.string() }),
  z.object({ kind: z.literal('store'), boxes: z.array(z.object({ label: z.string() })) }),
  z.string(),
])
const book = rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id' },
  records: { tool: { shape: z.object({ id: z.string(), place: Place }), key: 'id' } },
}).rules({ tool: (_tool, { anyone }) => ({ may: { read: [anyone] } }) })

describe('a field of one of several forms', () => {
  const CASES: readonly [what: string, stored: unknown, told: unknown][] = [
    ['what the first names', { kind: 'bed', rows: 2, code: 'x' }, { kind: 'bed', rows: 2 }],
    ['what another names, and nothing of the first', { kind: 'shed', roof: 'tin', rows: 2 }, { kind: 'shed', roof: 'tin' }],
    ['nothing of another', { kind: 'bed', rows: 2, roof: 'tin' }, { kind: 'bed', rows: 2 }],
    ['null where that may be', { kind: 'bed', rows: 2, note: null, code: 'x' }, { kind: 'bed', rows: 2, note: null }],
    ['what is in a list of it', { kind: 'store', boxes: [{ label: 'a', code: 'x' }] }, { kind: 'store', boxes: [{ label: 'a' }] }],
    ['what is no object', 'by the gate', 'by the gate'],
  ]
  for (const [what, stored, told] of CASES)
    it(`tells ${what}`, async () => {
      const store = openStore(book, inMemory({ tool: [{ id: 't', place: stored }] }))
      expect(await store.for(null).get('tool', 't')).to.deep.equal({ id: 't', place: told })
    })
})
