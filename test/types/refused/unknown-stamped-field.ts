// The compiler says: 'autorId' is not known here
import { draft } from '../draft.js'

export const refused = draft.rules({ note: (_note, { me }) => ({ stamps: { create: { autorId: me.id } } }) })
