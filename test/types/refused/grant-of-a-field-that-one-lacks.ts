// The compiler says: 'siteId' is no field of note: leave that type out
import { draft } from '../draft.js'

export const fits = draft.grant(['plot'], ({ record, anyone }) => ({ read: [anyone.provided(record.siteId.is('s-01'))] }))
export const refused = draft.grant(['plot', 'note'], ({ record, anyone }) => ({ read: [anyone.provided(record.siteId.is('s-01'))] }))
