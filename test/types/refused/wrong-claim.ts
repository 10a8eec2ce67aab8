// The compiler says: Property 'siteId' does not exist
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (plot, { anyone, me }) => ({ may: { read: [anyone.provided(me.siteId.is(plot.siteId))] } }) })
