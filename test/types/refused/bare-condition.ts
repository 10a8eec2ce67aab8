// The compiler says: Type 'Condition' is not assignable to type 'Clause<
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (plot) => ({ may: { read: [plot.state.is('let')] } }) })
