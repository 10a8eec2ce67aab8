// The compiler says: is possibly 'undefined'
import type { WorldOf } from 'pachter'
import type { Store } from 'pachter/store'
import { draft } from '../draft.js'

const plots = draft.rulesOf('plot', (plot, { anyone, me }) => ({
  may: { read: [anyone.provided(plot.holderId.is(me.id)), anyone.only('state')] },
  // Values that the shape lists stay what they are.
  stamps: { create: { state: 'vacant' } },
}))
const notes = draft.rulesOf('note', (_note, { anyone }) => ({ may: { read: [anyone] } }))
export const book = draft.rules({ plot: plots, note: notes })
declare const store: Store<WorldOf<typeof book>>
export const fine = (await store.for(null).get('note', 'n-1')).text.length
export const refused = (await store.for(null).get('plot', 'p-1')).number.toFixed()
