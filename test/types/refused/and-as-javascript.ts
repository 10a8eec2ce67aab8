// The compiler says: This condition will always return true
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (_plot, { standing: { holder, warden } }) => ({ may: { read: [holder && warden] } }) })
