// The compiler says: is not assignable to parameter of type 'KeyOf<{ fromId: string; toId: string; text: string; }, "fromId" | "toId">'
import { rulebook } from 'pachter'
import { inMemory, openStore } from 'pachter/store'
import { z } from 'zod'

const shape = z.object({ fromId: z.string(), toId: z.string(), text: z.string() })
const book = rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id' },
  records: { pair: { shape, key: ['fromId', 'toId'] } },
}).rules({
  pair: (_pair, { me, signedIn }) => ({ may: { read: [signedIn], create: [signedIn] }, stamps: { create: { fromId: me.id } } }),
})
const pairs = openStore(book, inMemory()).for(null)
export const fits = [
  pairs.get('pair', { fromId: 'a', toId: 'b' }),
  pairs.get('pair', 'a~b'),
  pairs.create('pair', { toId: 'b', text: 'x' }),
]
export const refused = pairs.get('pair', { fromId: 'a' })
