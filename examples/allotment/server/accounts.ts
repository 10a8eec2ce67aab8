// The accounts of the simulated identity provider: the people of the demo world.
import { recordsOf } from '../../world/open.js'
import { people } from '../../world/people.js'
import type { Account } from './provider.js'

const ABOUT: { readonly [name in keyof typeof people]: string } = {
  ines: 'holds plot 1, and shares it',
  bram: 'holds two plots, helps on two',
  odile: 'holds a plot; her share from Ines has ended',
  tomasz: 'warden of Lower Marsh',
  yuki: 'warden of Mill Bank and Railway Side',
  farah: 'treasurer',
  kofi: 'secretary',
  greta: 'member of no site; holds a plot together with Odile',
  hugo: 'holds three plots, and is banned',
  pavel: 'signed in, without a member record',
}

const GROUPS: { readonly [role: string]: string } = { warden: 'marsh-wardens', treasurer: 'marsh-treasury', secretary: 'marsh-office' }

const members = recordsOf('member') as unknown as { id: string; name: string; roles: string[] }[]

/** The accounts, by sign-in name. */
export const accounts = Object.fromEntries(
  Object.entries(people).map(([name, { id, email }]): [string, Account] => {
    const member = members.find((one) => one.id === id)
    const groups = (member?.roles ?? []).flatMap((role) => GROUPS[role] ?? [])
    return [name, { sub: id, name: member?.name ?? 'Pavel Horak', email, groups, about: ABOUT[name as 'ines'] }]
  }),
)
