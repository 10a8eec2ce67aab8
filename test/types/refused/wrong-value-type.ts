// The compiler says: 'string' is not assignable
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (plot, { anyone }) => ({ may: { read: [anyone.provided(plot.number.isMoreThan('5'))] } }) })
