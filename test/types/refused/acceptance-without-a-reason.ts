// The compiler says: Property 'because' is missing
import { draft } from '../draft.js'

export const refused = draft.accepts({ note: [{ write: 'update', gains: 'everything' }] })
