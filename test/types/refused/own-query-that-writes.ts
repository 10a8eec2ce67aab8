// The compiler says: Property 'insertInto' does not exist
import { mine } from '../own-queries.js'

export const refused = mine.insertInto('plot')
