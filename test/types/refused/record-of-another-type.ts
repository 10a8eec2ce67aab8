// The compiler says: 'number' does not exist in type
import { draft } from '../draft.js'

export const refused = draft.for(null).verdict('read', 'note', { id: 'p-1', number: 1 })
