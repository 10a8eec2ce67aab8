// The compiler says: 'row.rent' is possibly 'null'
import { mine } from '../own-queries.js'

export const refused = mine
  .selectFrom('plot')
  .select('plot.rent')
  .execute()
  .then((rows) => rows.map((row) => row.rent.toFixed(2)))
