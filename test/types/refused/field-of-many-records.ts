// The compiler says: Property 'plotId' does not exist on type 'ManyTerm
import { linked } from '../linked.js'

export const refused = linked.rules({ plot: (plot, { anyone }) => ({ may: { read: [anyone.provided(plot.entries.plotId.is('x'))] } }) })
