// The compiler says: Type '"noteTo"' is not assignable to type '"fromId" | "toId"'
import { rulebook } from 'pachter'
import { z } from 'zod'

const shape = z.object({ fromId: z.string(), toId: z.string() })
export const fits = rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id' },
  records: { pair: { shape, key: ['fromId', 'toId'] } },
})
export const refused = rulebook({
  me: { shape: z.object({ id: z.string() }), key: 'id' },
  records: { pair: { shape, key: ['fromId', 'noteTo'] } },
})
