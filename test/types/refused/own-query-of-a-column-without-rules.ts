// The compiler says: No overload matches this call
import { mine } from '../own-queries.js'

export const refused = mine.selectFrom('plot').select('plot.secret')
