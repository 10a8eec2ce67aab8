// The compiler says: '"holdr"' is not assignable to parameter of type '"holder"'
import { linked } from '../linked.js'

export const refused = linked.rules({ entry: (entry) => ({ may: { read: [entry.plot.standing.holdr] } }) })
