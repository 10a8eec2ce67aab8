// The compiler says: '"inez"' is not assignable
import { lookThrough } from 'pachter/testing'
import { draft } from '../draft.js'

const look = lookThrough(draft, { people: { ines: { id: 'm-01', roles: [], siteIds: [] } }, records: {} })
export const fine = look.as('ines').seesExactly('plot', { 'p-1': ['number'] })
export const visitor = look.as('visitor').isRefused('update', 'plot', 'p-1', { sending: { holderId: null }, as: 'sign in' })
export const refused = look.as('inez')
