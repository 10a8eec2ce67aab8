// The compiler says: Property 'holdr' does not exist
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (_plot, { standing: { holdr } }) => ({ may: { read: [holdr] } }) })
