import { configure } from 'pachter-cli'
import { withGuarantees } from './guarantees.js'
import { people } from './people.js'
import { book } from './rulebook.js'

export default configure({
  rulebook: withGuarantees(book),
  data: new URL('./data/', import.meta.url),
  people,
  personOf: { type: 'member', claims: ({ id, email }) => ({ id, email }) },
  expectations: new URL('./expectations/', import.meta.url),
  // A fixed day in the middle of the season, so that the lapsed share stays lapsed.
  now: new Date('2026-06-15T09:00:00Z'),
})
