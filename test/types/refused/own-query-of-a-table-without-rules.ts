// The compiler says: Argument of type '"audit"' is not assignable
import { mine } from '../own-queries.js'

export const refused = mine.selectFrom('audit')
