// The compiler says: '"openLegder"' is not assignable
import { draft } from '../draft.js'

export const refused = draft
  .privileges({ openLedger: ({ role }) => [role('treasurer')] })
  .for(null)
  .has('openLegder')
