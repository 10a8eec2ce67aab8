// The compiler says: 'except' is not known here
import { draft } from '../draft.js'

export const refused = draft.rules({
  plot: (_plot, { role }) => ({ vetoes: [{ actions: ['update'], except: role('warden'), message: 'No.' }] }),
})
