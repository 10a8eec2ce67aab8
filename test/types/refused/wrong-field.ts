// The compiler says: Property 'stat' does not exist
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (plot, { anyone }) => ({ may: { read: [anyone.provided(plot.stat.is('let'))] } }) })
