// The compiler says: Property 'plt' does not exist
import { linked } from '../linked.js'

export const refused = linked.rules({ entry: (entry, { anyone }) => ({ may: { read: [anyone.provided(entry.plt.holderId.is('x'))] } }) })
