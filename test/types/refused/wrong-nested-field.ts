// The compiler says: Property 'twn' does not exist
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (plot, { anyone }) => ({ may: { read: [anyone.provided(plot.address.twn.is('Ely'))] } }) })
