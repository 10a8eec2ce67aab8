// The compiler says: is possibly 'undefined'
import type { WorldOf } from 'pachter'
import type { Store } from 'pachter/store'
import { draft } from '../draft.js'

export const book = draft.rules({
  plot: (plot, { anyone, standing: { holder } }) => ({ may: { read: [holder, anyone.only('state').provided(plot.state.is('vacant'))] } }),
  note: (_note, { anyone }) => ({ may: { read: [anyone], update: [anyone.only('text')] } }),
})
declare const store: Store<WorldOf<typeof book>>
// Of a note everything is seen, and so it is by the system; of a plot perhaps not.
export const fine = (await store.for(null).get('note', 'n-1')).text.length
export const whole = (await store.asSystem('test').get('plot', 'p-1')).number.toFixed()
export const refused = (await store.for(null).get('plot', 'p-1')).number.toFixed()
