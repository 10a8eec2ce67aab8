// The compiler says: '"sownAt"' is not assignable
import { rulebook } from 'pachter'
import { shapes } from '../draft.js'

export const refused = rulebook({
  me: { shape: shapes.Session, key: 'id' },
  records: { plot: { shape: shapes.Plot, key: 'id', times: ['sownAt'] } },
})
