// The compiler says: Property 'after' does not exist
import { draft } from '../draft.js'

export const refused = draft.standings({ note: (note, { after }) => ({ same: note.text.is(after.text) }) })
