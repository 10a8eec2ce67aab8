import { allOf, type TermsIn, type TermsOfMe } from 'pachter'
import { harbour } from './harbour.js'
import { holdsIt, isMaster, isOneOf } from './helpers.js'

type Ship = TermsIn<typeof harbour, 'ship'>
type Me = TermsOfMe<typeof harbour>

/** A helper whose type is that of a standing of a record that the rule reaches. */
export const isOwnerOf = (berth: TermsIn<typeof withStandings, 'berth'>) => berth.ship.standing.owner

// One file for each record type, each with what it exports.
export const shipStandings = (ship: Ship, { me }: { readonly me: Me }) => ({
  owner: holdsIt(ship.ownerId, me),
  pilot: ship.pilotIds.has(me.id),
  harbourMaster: isOneOf(ship.pilotIds, me),
  master: isMaster(me),
})

export const withStandings = harbour.standings({ ship: shipStandings })

export const shipRules = withStandings.rulesOf('ship', (ship, { standing: { owner, pilot, harbourMaster, master }, anyone }) => ({
  may: {
    read: [owner, pilot, master, anyone.provided(allOf(ship.state.is('moored'), ship.hull.material.is('oak'))).only('state')],
    update: [owner.only('state'), master, harbourMaster],
    launch: [pilot.provided(ship.hull.plates.some((plate) => plate.patched.is(true)))],
  },
}))
