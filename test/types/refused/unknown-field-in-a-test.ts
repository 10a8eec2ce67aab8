// The compiler says: { 'p-1': "nummer"[]; }' is not assignable
import { lookThrough } from 'pachter/testing'
import { draft } from '../draft.js'

const look = lookThrough(draft, { people: { ines: { id: 'm-01', roles: [], siteIds: [] } }, records: {} })
export const refused = look.as('ines').sees('plot', { 'p-1': ['nummer'] })
