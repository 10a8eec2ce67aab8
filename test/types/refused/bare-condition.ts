// The compiler says: Type 'Condition' is not assignable to type 'AnyClause<
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (plot) => ({ may: { read: [plot.state.is('let')] } }) })
