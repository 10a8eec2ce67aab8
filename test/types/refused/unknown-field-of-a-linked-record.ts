// The compiler says: Property 'holdrId' does not exist
import { linked } from '../linked.js'

export const refused = linked.rules({ entry: (entry, { anyone }) => ({ may: { read: [anyone.provided(entry.plot.holdrId.is('x'))] } }) })
