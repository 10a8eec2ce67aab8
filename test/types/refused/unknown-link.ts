// The compiler says: Property 'plt' does not exist
import { linked } from '../linked.js'

export const refused = linked.rules({ entry: (entry, { whoever }) => ({ may: { read: [whoever(entry.plt.holderId.is('x'))] } }) })
