// The compiler says: Type 'ReachedLimitedClause<"holderId", never>' is not assignable
import { linked } from '../linked.js'

export const refused = linked.rules({ entry: (entry) => ({ may: { read: [entry.plot.standing.holder.only('holderId')] } }) })
