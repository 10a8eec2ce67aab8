// The compiler says: '"plantin"' is not assignable
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (_plot, { standing: { holder } }) => ({ may: { read: [holder.only('plantin')] } }) })
