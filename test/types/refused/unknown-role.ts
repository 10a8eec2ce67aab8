// The compiler says: '"wardn"' is not assignable
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (_plot, { role }) => ({ may: { read: [role('wardn')] } }) })
