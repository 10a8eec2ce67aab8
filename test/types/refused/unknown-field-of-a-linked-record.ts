// The compiler says: Property 'holdrId' does not exist
import { linked } from '../linked.js'

export const refused = linked.rules({ entry: (entry, { whoever }) => ({ may: { read: [whoever(entry.plot.holdrId.is('x'))] } }) })
