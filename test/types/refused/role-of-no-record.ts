// The compiler says: '"wardn"' is not assignable to parameter of type '"warden"'
import { linked } from '../linked.js'

export const refused = linked.rules({ plot: (_plot, { role }) => ({ may: { read: [role('wardn')] } }) })
