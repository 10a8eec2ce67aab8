// The compiler says: Type 'Link<"one", "plot", "plotID", never>' is not assignable
import { rulebook, toOne } from 'pachter'
import { linkedShapes } from '../linked.js'

const { Session, Plot, Entry } = linkedShapes
export const refused = rulebook({
  me: { shape: Session, key: 'id' },
  records: { plot: { shape: Plot, key: 'id' }, entry: { shape: Entry, key: 'id', links: { plot: toOne('plot', 'plotID') } } },
})
