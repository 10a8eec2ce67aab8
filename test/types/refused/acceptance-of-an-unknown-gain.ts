// The compiler says: '"nota"' is not assignable to type
import { draft } from '../draft.js'

export const refused = draft.accepts({ note: [{ write: 'update', gains: { read: 'nota' }, because: 'It is meant.' }] })
