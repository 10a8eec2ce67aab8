// The compiler says: Property 'author' does not exist
import { draft } from '../draft.js'

export const refused = draft.rules({ plot: (_plot, { standing: { author } }) => ({ may: { read: [author] } }) })
