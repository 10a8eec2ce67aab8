// The compiler says: is not assignable to parameter of type 'NewRow<{ id: string; authorId: string; text: string; },
import { inMemory, openStore } from 'pachter/store'
import { draft } from '../draft.js'

const book = draft.rules({ note: (_note, { me, anyone }) => ({ may: { create: [anyone] }, stamps: { create: { authorId: me.id } } }) })
const notes = openStore(book, inMemory()).for(null)
export const fits = async (): Promise<string> => (await notes.create('note', { text: 'x' })).id
export const refused = notes.create('note', { authorId: 'm-01' })
