// The compiler says: 'plto' does not exist
import { draft } from '../draft.js'

export const refused = draft.rules({ plto: () => ({}) })
