// The compiler says: '"plot"' is not assignable to parameter of type '"above"'
import { linked } from '../linked.js'

export const refused = linked.rules({
  entry: (entry, { anyone }) => ({ may: { read: [anyone.provided(entry.ancestors('plot').some())] } }),
})
