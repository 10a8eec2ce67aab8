// The compiler says: No overload matches this call
import { lookThrough } from 'pachter/testing'
import { draft } from '../draft.js'

const look = lookThrough(draft, { people: { ines: { id: 'm-01', roles: [], siteIds: [] } }, records: {} })
export const refused = look.as('ines').isRefused('create', 'plot', 'p-1')
