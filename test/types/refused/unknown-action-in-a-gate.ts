// The compiler says: 'raed' is not known here
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (_plot, { signedIn }) => ({ gate: { raed: signedIn } }) })
