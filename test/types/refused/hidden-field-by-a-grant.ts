// The compiler says: is possibly 'undefined'
import type { openStore } from 'pachter/store'
import { draft } from '../draft.js'

const limited = draft.grant(['note'], ({ anyone }) => ({ read: [anyone.only('text')] }))
export const refused = async (store: ReturnType<typeof openStore<never>>) => {
  const [note] = limited.for(null).filter('note', [{ id: 'n', authorId: 'm', text: 'x' }])
  return [store, note?.authorId.length]
}
