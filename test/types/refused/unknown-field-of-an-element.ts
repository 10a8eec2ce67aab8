// The compiler says: Property 'crp' does not exist
import { linked } from '../linked.js'

export const refused = linked.rules({
  plot: (plot, { anyone }) => ({ may: { read: [anyone.provided(plot.beds.some((bed) => bed.crp.is('kale')))] } }),
})
