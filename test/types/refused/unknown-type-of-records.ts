// The compiler says: '"plt"' is not assignable to parameter of type
import { linked } from '../linked.js'

export const refused = linked.rules({
  entry: (_entry, { records, anyone }) => ({ may: { read: [anyone.provided(records('plt').some())] } }),
})
