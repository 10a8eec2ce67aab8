// The compiler says: not assignable
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (plot, { anyone, me }) => ({ may: { read: [anyone.provided(plot.holderId.is(me.age))] } }) })
