// The compiler says: is possibly 'undefined'
import type { WorldOf } from 'pachter'
import type { Store } from 'pachter/store'
import { draft } from '../draft.js'

const rules = draft.rulesOf('plot', (_plot, { anyone }) => ({ may: { read: [anyone.only('state')] } }))
export const book = draft.rules({ plot: rules })
declare const store: Store<WorldOf<typeof book>>
export const refused = (await store.for(null).list('plot')).map((plot) => plot.number.toFixed())
