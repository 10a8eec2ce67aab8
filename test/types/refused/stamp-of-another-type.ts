// The compiler says: not assignable
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (_plot, { me }) => ({ stamps: { create: { number: me.id } } }) })
