// The compiler says: Property 'crp' does not exist
import { linked } from '../linked.js'

export const refused = linked.rules({
  plot: (plot, { whoever }) => ({ may: { read: [whoever(plot.beds.some((bed) => bed.crp.is('kale')))] } }),
})
