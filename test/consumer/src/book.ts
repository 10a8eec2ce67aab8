import type { Rulebook, WorldOf } from 'pachter'
import { shipRules, withStandings } from './ship-rules.js'

const built = withStandings
  .rules({
    ship: shipRules,
    berth: (berth, { anyone, signedIn }) => ({ may: { read: [anyone.provided(berth.ship.state.is('moored')), signedIn] } }),
  })
  .privileges({ openLocks: ({ role }) => [role('master')] })
  .routines({ clearQuay: ({ role }) => [role('pilot')] })

/** A name for what the types know: hovering, messages and declarations show it, in place of all of it. */
export interface Harbour extends WorldOf<typeof built> {}

export const book: Rulebook<Harbour> = built

/** Exported without a name: the declaration file has to write out its type. */
export const unnamed = built.for({ id: 'p-1', roles: [] })
