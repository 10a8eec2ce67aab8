// The compiler says: is not assignable to type 'Veto
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (_plot, { role }) => ({ vetoes: [{ actions: ['update'], unless: role('warden') }] }) })
