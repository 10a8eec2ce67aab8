// The compiler says: type 'Condition'
import { draft } from '../draft.js'

export const refused = draft.rules({
  plot: (plot, { standing: { holder }, anyone }) => ({ may: { read: [anyone.provided(holder.provided(plot.state.is('let')))] } }),
})
