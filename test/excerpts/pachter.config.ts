// What docs/commands.md shows of a configuration.
import { configure } from 'pachter-cli'
import { book } from './server/rules.js'

export default configure({
  rulebook: book,
  data: new URL('./data/', import.meta.url), // plot.json contains an array of plots
  people: { ines: { id: 'm-01', roles: [] }, tomasz: { id: 'm-04', roles: ['warden'] } },
})
