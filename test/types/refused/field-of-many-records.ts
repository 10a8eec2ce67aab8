// The compiler says: Property 'plotId' does not exist on type 'ManyTerm
import { linked } from '../linked.js'

export const refused = linked.rules({ plot: (plot, { whoever }) => ({ may: { read: [whoever(plot.entries.plotId.is('x'))] } }) })
