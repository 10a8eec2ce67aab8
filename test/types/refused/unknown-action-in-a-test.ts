// The compiler says: '"remove"' is not assignable
import { lookThrough } from 'pachter/testing'
import { draft } from '../draft.js'

const look = lookThrough(draft, { people: { ines: { id: 'm-01', roles: [], siteIds: [] } }, records: {} })
export const refused = look.as('ines').mayExactly('remove', 'plot', [])
