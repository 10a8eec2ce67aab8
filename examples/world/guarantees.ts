// What must never be possible at Marsh Lane, for any person and any records. `pachter prove` proves each.
import { not, type Rulebook } from 'pachter'
import type { Allotments } from './rulebook.js'

/** The rulebook with its guarantees, and what is accepted of people who give themselves more. */
export function withGuarantees(book: Rulebook<Allotments>): Rulebook<Allotments> {
  return accepting(book).guarantees(
    {
      member: (_member, { standing: { oneself }, role, signedIn }) => [
        {
          never: 'update',
          fields: ['roles', 'siteIds', 'banned', 'points'],
          unless: role('secretary'),
          titled: 'only the secretary appoints and bans',
        },
        { never: 'update', unless: oneself.or(role('secretary')), titled: 'nobody changes the record of another, but the secretary' },
        { never: 'create', unless: role('secretary') },
        { never: 'delete', titled: 'a member is never deleted' },
        { never: 'read', unless: signedIn, titled: 'visitors see no members' },
      ],
      site: (_site, { role }) => [{ never: 'update', unless: role('secretary') }],
      plot: (plot, { standing: { holder, warden, guest }, role, signedIn, me }) => [
        { never: 'update', fields: ['rentDue'], unless: role('treasurer'), titled: 'only the treasurer sets a rent' },
        { never: 'read', fields: ['wardenNotes'], unless: warden, titled: 'only wardens read their notes' },
        { never: 'read', fields: ['rentDue'], unless: holder.or(warden).or(role('treasurer', 'secretary')) },
        {
          never: 'update',
          fields: ['holderId', 'coHolderIds'],
          unless: warden.or(role('secretary')),
          titled: 'holders do not pass a plot on themselves',
        },
        {
          never: 'update',
          fields: ['holderId'],
          within: false,
          unless: warden,
          titled: 'the secretary changes the holder only when handing over',
        },
        { never: 'delete', provided: not(plot.state.is('vacant')), titled: 'only a vacant plot is ever deleted' },
        { never: 'read', fields: ['planting'], unless: holder.or(guest).or(warden).or(role('treasurer', 'secretary')) },
        { never: 'update', unless: signedIn, titled: 'visitors change no plots' },
        { never: 'update', provided: me.member.banned.is(true), titled: 'banned members change no plots' },
      ],
      share: (share, { standing: { giver } }) => [
        { never: 'create', unless: share.plot.standing.holder, titled: 'only holders share a plot' },
        { never: 'update', unless: giver },
      ],
      entry: (_entry, { standing: { author } }) => [{ never: 'update', unless: author, titled: 'nobody rewrites the entry of another' }],
      notice: (_notice, { role }) => [{ never: 'update', fields: ['approved'], unless: role('secretary') }],
      inspection: (inspection) => [
        { never: 'update', provided: inspection.state.is('filed'), titled: 'a filed inspection is not rewritten' },
      ],
      invoice: (invoice, { role, standing: { debtor } }) => [
        { never: 'read', unless: debtor.or(role('treasurer')), titled: 'bills are seen by those who owe them, and the treasurer' },
        { never: 'delete', provided: invoice.paidAt.isPresent(), titled: 'a paid bill is never deleted' },
      ],
    },
    {
      privileges: ({ role }) => [
        { never: 'openLedger', unless: role('treasurer', 'secretary'), titled: 'the ledger is open to the treasurer and the secretary' },
        { never: 'startSeason', unless: role('secretary') },
      ],
      routines: ({ role }) => [{ never: 'handOver', unless: role('secretary'), titled: 'only the secretary hands plots over' }],
    },
  )
}

/** Each is a way in which people can give themselves more. The association knows of it. */
function accepting(book: Rulebook<Allotments>): Rulebook<Allotments> {
  return book.accepts({
    member: [
      { write: 'update', by: 'role secretary', gains: 'everything', because: 'The secretary appoints, and is elected by all members.' },
    ],
    team: [{ write: 'update', by: 'role secretary', gains: { read: 'job', update: 'job' }, because: 'The secretary makes up the teams.' }],
    plot: [
      {
        write: 'update',
        by: 'role secretary',
        gains: { read: ['entry', 'remark', 'invoice'], update: 'share', delete: ['entry', 'remark'] },
        because: 'The secretary may take over a vacant plot, as everyone may. Handing over goes to the verdict log.',
      },
      {
        write: 'update',
        by: 'warden',
        gains: { read: 'invoice', update: 'share' },
        because: 'A warden may hold a plot of their own site, and owes its rent then.',
      },
    ],
    share: (['create', 'update'] as const).map((write) => ({
      write,
      gains: { update: 'plot' },
      because: 'Secretaries who hand over their own plot may stay its helper. As its holder they planted in it anyway.',
    })),
  })
}
