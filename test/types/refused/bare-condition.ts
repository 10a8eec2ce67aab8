// The compiler says: missing the following properties from type 'Clause
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (plot) => ({ may: { read: [plot.state.is('let')] } }) })
