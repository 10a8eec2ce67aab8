// The compiler says: is possibly 'undefined'
import type { WorldOf } from 'pachter'
import type { Store } from 'pachter/store'
import { draft } from '../draft.js'

export const book = draft.rules({
  plot: (plot, { anyone, me }) => ({ may: { read: [anyone.provided(plot.holderId.is(me.id)), anyone.only('state')] } }),
})
declare const store: Store<WorldOf<typeof book>>
export const refused = (await store.for(null).get('plot', 'p-1')).number.toFixed()
