// The compiler says: is not assignable to parameter of type 'NewRow<{ id: string; authorId: string; text: string; },
import { inMemory, openStore } from 'pachter/store'
import { draft } from '../draft.js'

const rules = draft.rulesOf('note', (_note, { me, anyone }) => ({ may: { create: [anyone] }, stamps: { create: { authorId: me.id } } }))
const notes = openStore(draft.rules({ note: rules }), inMemory()).for(null)
export const fits = notes.create('note', { text: 'x' })
export const refused = notes.create('note', {})
