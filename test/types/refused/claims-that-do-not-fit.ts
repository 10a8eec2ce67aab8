// The compiler says: not assignable
import { draft } from '../draft.js'

export const refused = draft.for({ id: 7, roles: [], siteIds: [] })
