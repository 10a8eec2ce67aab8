// The compiler says: '"plot"' is not assignable to parameter of type '"above"'
import { linked } from '../linked.js'

export const refused = linked.rules({ entry: (entry, { whoever }) => ({ may: { read: [whoever(entry.ancestors('plot').some())] } }) })
