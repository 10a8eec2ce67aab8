// The compiler says: 'mya' is not known here
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (_plot, { anyone }) => ({ mya: { read: [anyone] } }) })
