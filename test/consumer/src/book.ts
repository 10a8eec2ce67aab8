import { shipRules, withStandings } from './ship-rules.js'

// Exported without an annotation: the declaration file has to name its type.
export const book = withStandings
  .rules({
    ship: shipRules,
    berth: (berth, { anyone, signedIn }) => ({ may: { read: [anyone.provided(berth.ship.state.is('moored')), signedIn] } }),
  })
  .privileges({ openLocks: ({ role }) => [role('master')] })
  .routines({ clearQuay: ({ role }) => [role('pilot')] })

export const words = { read: 'read', of: book.for({ id: 'p-1', roles: [] }) }
