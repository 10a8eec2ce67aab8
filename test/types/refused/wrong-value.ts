// The compiler says: '"vacnt"' is not assignable
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (plot, { anyone }) => ({ may: { read: [anyone.provided(plot.state.is('vacnt'))] } }) })
