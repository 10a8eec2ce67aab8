// The compiler says: Did you mean 'holder'?
import { linked } from '../linked.js'

export const refused = linked.rules({ entry: (entry) => ({ may: { read: [entry.plot.standing.holdr] } }) })
