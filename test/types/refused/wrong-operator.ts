// The compiler says: Property 'isBefore' does not exist
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (plot, { anyone }) => ({ may: { read: [anyone.provided(plot.number.isBefore(new Date()))] } }) })
