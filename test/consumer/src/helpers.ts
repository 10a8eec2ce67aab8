import { allOf, type Condition, type Term, type TermsOfMe, type TextListTerm } from 'pachter'
import type { harbour } from './harbour.js'

type Me = TermsOfMe<typeof harbour>

/** A condition with arguments is an ordinary function. */
export function isMaster(me: Me): Condition {
  return me.roles.has('master')
}

export const holdsIt = (owner: Term<string | null>, me: Me) => owner.is(me.id)
export const isOneOf = (list: TextListTerm<string[]>, me: Me) => allOf(list.has(me.id), isMaster(me))
