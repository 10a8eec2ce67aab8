// The compiler says: '"texd"' is not assignable to type
import { draft } from '../draft.js'

export const refused = draft.guarantees({ note: () => [{ never: 'update', fields: ['texd'] }] })
