// The people of the allotment world, as the claims that each of them comes with.
import type { z } from 'zod'
import type { Session } from './shapes.js'

type Claims = z.infer<typeof Session>

export const people = {
  ines: { id: 'm-01', email: 'ines@marshlane.example', roles: [], siteIds: ['s-01'] },
  bram: { id: 'm-02', email: 'bram@marshlane.example', roles: [], siteIds: ['s-01', 's-02'] },
  odile: { id: 'm-03', email: 'odile@marshlane.example', roles: [], siteIds: ['s-01'] },
  tomasz: { id: 'm-04', email: 'tomasz@marshlane.example', roles: ['warden'], siteIds: ['s-01'] },
  yuki: { id: 'm-05', email: 'yuki@marshlane.example', roles: ['warden'], siteIds: ['s-02', 's-03'] },
  farah: { id: 'm-06', email: 'farah@marshlane.example', roles: ['treasurer'], siteIds: [] },
  kofi: { id: 'm-07', email: 'kofi@marshlane.example', roles: ['secretary'], siteIds: ['s-02'] },
  greta: { id: 'm-08', email: 'greta@marshlane.example', roles: [], siteIds: [] },
  /** Signed in, and known to no record. */
  pavel: { id: 'm-99', email: 'pavel@elsewhere.example', roles: [], siteIds: [] },
} satisfies Record<string, Claims>
