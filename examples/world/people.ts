// The people of the allotment world with their claims. Everything else that the rules read about them (roles, sites, bans) comes from the
// member record with the same id.
import type { z } from 'zod'
import type { Session } from './shapes.js'

type Claims = z.infer<typeof Session>

export const people = {
  ines: { id: 'm-01', email: 'ines@marshlane.example' },
  bram: { id: 'm-02', email: 'bram@marshlane.example' },
  odile: { id: 'm-03', email: 'odile@marshlane.example' },
  tomasz: { id: 'm-04', email: 'tomasz@marshlane.example' },
  yuki: { id: 'm-05', email: 'yuki@marshlane.example' },
  farah: { id: 'm-06', email: 'farah@marshlane.example' },
  kofi: { id: 'm-07', email: 'kofi@marshlane.example' },
  greta: { id: 'm-08', email: 'greta@marshlane.example' },
  /** Banned: a member without any access. */
  hugo: { id: 'm-10', email: 'hugo@marshlane.example' },
  /** Signed in, but without a record. */
  pavel: { id: 'm-99', email: 'pavel@elsewhere.example' },
} satisfies Record<string, Claims>
