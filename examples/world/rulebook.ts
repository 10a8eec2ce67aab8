// Who may do what at Marsh Lane Allotments.
import { allOf, anyOf, forever, not, now, type Rulebook, rulebook, toMany, toOne, type WorldOf } from 'pachter'
import { Entry, Inspection, Invoice, Job, Member, Notice, Plot, Remark, Session, Share, Site, Team } from './shapes.js'

const built = rulebook({
  // The sign-in only identifies the person. Their roles and sites are in their own record, and are read again for every operation.
  me: { shape: Session, key: 'id', links: { member: toOne('member', 'id') }, roles: (me) => me.member.roles },
  records: {
    member: { shape: Member, key: 'id' },
    site: { shape: Site, key: 'id' },
    team: { shape: Team, key: 'id' },
    plot: {
      shape: Plot,
      key: 'id',
      links: { site: toOne('site', 'siteId'), holder: toOne('member', 'holderId'), shares: toMany('share', 'plotId') },
    },
    share: {
      shape: Share,
      key: 'id',
      times: ['until'],
      // A share ends with its plot.
      links: { plot: toOne('plot', 'plotId', { onDelete: 'follow' }), member: toOne('member', 'memberId') },
    },
    // To delete a plot, a person has to be allowed to delete each of its entries.
    entry: { shape: Entry, key: 'id', times: ['writtenAt', 'editedAt'], links: { plot: toOne('plot', 'plotId', { onDelete: 'delete' }) } },
    remark: {
      shape: Remark,
      key: 'id',
      times: ['writtenAt'],
      // Remarks are deleted with the entry or remark that they answer.
      links: { entry: toOne('entry', 'entryId', { onDelete: 'follow' }), parent: toOne('remark', 'parentId', { onDelete: 'follow' }) },
    },
    job: {
      shape: Job,
      key: 'id',
      times: ['dueAt'],
      links: { site: toOne('site', 'siteId'), team: toOne('team', 'teamId'), assignees: toMany('member', { id: 'assigneeIds' }) },
    },
    notice: { shape: Notice, key: 'id', times: ['publishedAt'] },
    inspection: {
      shape: Inspection,
      key: 'id',
      times: ['seasonEndsAt'],
      links: { plot: toOne('plot', 'plotId') },
      actions: ['confirm'],
    },
    invoice: {
      shape: Invoice,
      key: 'id',
      times: ['dueAt', 'paidAt'],
      links: { plot: toOne('plot', 'plotId'), member: toOne('member', 'memberId') },
    },
  },
})
  // A banned member may do nothing at all. A person without a member record, such as a visitor, is not banned.
  .gate(({ me }) => not(me.member.banned.orElse(false).is(true)))
  // Handing a plot over changes more than one record, so it is done by the server only, when the secretary asks for it.
  .routines({ handOver: ({ role }) => [role('secretary')] })
  .standings({
    member: (member, { me }) => ({
      oneself: member.id.is(me.id),
      neighbour: me.member.siteIds.overlaps(member.siteIds),
      warden: allOf(me.member.roles.has('warden'), me.member.siteIds.overlaps(member.siteIds)),
    }),
    site: (site, { me }) => ({
      insider: me.member.siteIds.has(site.id),
      steward: site.path.startsWith(me.member.area),
    }),
    team: (team, { me }) => ({ teammate: team.memberIds.has(me.id) }),
    share: (share, { me }) => ({
      giver: share.grantedById.is(me.id),
      // Shared with them or with one of their roles, and not ended yet.
      helper: allOf(anyOf(share.memberId.is(me.id), me.member.roles.has(share.role)), share.until.orElse(forever).isAfter(now)),
    }),
    notice: (notice, { me }) => ({ author: notice.authorId.is(me.id) }),
  })
  .standings({
    plot: (plot, { me }) => ({
      holder: anyOf(plot.holderId.is(me.id), plot.coHolderIds.has(me.id)),
      guest: plot.shares.some((share) => share.standing.helper),
      helper: plot.shares.some((share) => allOf(share.standing.helper, share.level.is('tend'))),
      warden: allOf(me.member.roles.has('warden'), me.member.siteIds.has(plot.siteId)),
    }),
    job: (job, { me }) => ({
      assignee: anyOf(job.assigneeIds.has(me.id), job.assigneeEmails.hasIgnoringCase(me.email), job.team.standing.teammate),
      warden: allOf(me.member.roles.has('warden'), me.member.siteIds.has(job.siteId)),
    }),
  })
  .standings({
    entry: (entry, { me }) => ({
      author: entry.authorId.is(me.id),
      host: entry.plot.standing.holder,
      warden: entry.plot.standing.warden,
      // The audience widens in steps: people with a share of the plot, everyone at its site, everyone.
      guest: entry.plot.standing.guest,
      neighbour: allOf(entry.audience.is('site'), me.member.siteIds.has(entry.plot.siteId)),
    }),
    inspection: (inspection, { me }) => ({
      inspector: allOf(me.member.roles.has('warden'), inspection.inspectorId.is(me.id)),
      warden: inspection.plot.standing.warden,
    }),
    invoice: (invoice, { me }) => ({ debtor: anyOf(invoice.memberId.is(me.id), invoice.plot.standing.holder) }),
  })
  .standings({
    entry: (entry, { standing: { author, host, warden, guest, neighbour } }) => ({
      reader: anyOf(author, host, warden, guest, neighbour, entry.audience.is('everyone')),
    }),
  })
  .standings({
    remark: (remark, { me }) => ({
      author: remark.authorId.is(me.id),
      reader: remark.entry.standing.reader,
      // The author of the entry, and the starter of the thread, may delete the remarks below.
      host: remark.entry.standing.author,
      starter: remark.ancestors('parent').some((above) => allOf(above.parentId.isMissing(), above.authorId.is(me.id))),
    }),
  })
  .rules({
    member: (_member, { standing: { oneself, neighbour, warden }, role }) => ({
      may: {
        read: [oneself, warden.except('phone'), role('secretary', 'treasurer'), neighbour.only('name', 'siteIds')],
        create: [role('secretary')],
        // Members may not change their own roles, sites, points and ban.
        update: [oneself.only('name', 'email', 'phone'), role('secretary')],
      },
    }),
    site: (_site, { standing: { insider, steward }, anyone, role }) => ({
      may: { read: [anyone.only('name'), insider, steward, role('secretary')], update: [role('secretary')] },
    }),
    team: (_team, { standing: { teammate }, role }) => ({
      may: {
        read: [teammate, role('warden', 'secretary')],
        create: [role('secretary')],
        update: [role('secretary')],
        delete: [role('secretary')],
      },
    }),
    plot: (plot, { standing: { holder, guest, helper, warden }, anyone, role }) => ({
      may: {
        read: [
          holder.except('wardenNotes'),
          guest.except('wardenNotes', 'rentDue'),
          warden,
          role('treasurer', 'secretary').except('wardenNotes'),
          anyone.provided(plot.state.is('vacant')).only('number', 'siteId', 'state'),
        ],
        create: [warden],
        update: [
          holder.only('planting'),
          helper.only('planting'),
          warden.except('rentDue'),
          role('treasurer').only('rentDue'),
          role('secretary').only('holderId', 'coHolderIds', 'state').within('handOver'),
        ],
        delete: [warden.provided(plot.state.is('vacant'))],
      },
      vetoes: [
        {
          actions: ['update'],
          provided: plot.state.is('ending'),
          unless: anyOf(warden, role('secretary')),
          message: 'This lease is ending: ask the warden.',
        },
      ],
      // Only the treasurer sets the rent.
      stamps: { create: { rentDue: 0 } },
      messages: { delete: 'Only the warden of its site removes a plot, once it is vacant.' },
    }),
    share: (share, { me, standing: { giver, helper } }) => ({
      may: {
        read: [giver, helper],
        // The holder of a plot shares it.
        create: [giver.provided(share.plot.standing.holder)],
        // Not one who gave the plot up: they could prolong a share that they once gave themselves.
        update: [giver.provided(share.plot.standing.holder).only('level', 'until')],
        delete: [giver, helper.provided(share.memberId.is(me.id))],
      },
      stamps: { create: { grantedById: me.id } },
    }),
    entry: (entry, { me, standing: { author, host, warden, reader } }) => ({
      may: {
        read: [reader.titled('reader')],
        create: [author.provided(anyOf(entry.plot.standing.holder, entry.plot.standing.helper))],
        update: [author.only('text', 'audience')],
        delete: [author, host, warden],
      },
      stamps: { create: { authorId: me.id, writtenAt: now }, update: { editedAt: now } },
      messages: {
        update: 'Only its author rewrites an entry.',
        delete: 'Only its author, the holder of the plot or the warden removes an entry.',
      },
    }),
    remark: (remark, { me, standing: { author, reader, host, starter } }) => ({
      may: {
        read: [author, reader],
        // An answer belongs to the same entry as what it answers.
        create: [author.provided(reader, anyOf(remark.parentId.isMissing(), remark.parent.entryId.is(remark.entryId)))],
        update: [author.only('text')],
        delete: [author, host.provided(reader), starter.provided(reader)],
      },
      stamps: { create: { authorId: me.id, writtenAt: now } },
    }),
    job: (job, { standing: { assignee, warden } }) => ({
      may: {
        read: [assignee, warden],
        create: [warden],
        // The assignee may finish it; only the warden opens it again.
        update: [assignee.provided(job.state.is('open')).only('state').afterwards(assignee), warden],
        delete: [warden],
      },
    }),
    notice: (notice, { me, standing: { author }, anyone, role }) => ({
      may: {
        read: [
          author,
          role('secretary'),
          anyone.provided(notice.state.is('published'), notice.approved.is(true), notice.publishedAt.isBefore(now)),
        ],
        // Wardens, and members who have worked enough for the association, may propose one.
        create: [
          author.provided(anyOf(me.member.roles.has('warden'), me.member.points.isAtLeast(20))).only('title', 'text', 'state'),
          role('secretary'),
        ],
        update: [author.only('title', 'text'), role('secretary')],
        delete: [author.provided(notice.state.is('draft')), role('secretary')],
      },
      vetoes: [
        {
          actions: ['update'],
          provided: notice.state.is('published'),
          unless: role('secretary'),
          message: 'A published notice is changed by the secretary only.',
        },
        {
          actions: ['create'],
          provided: notice.state.is('published'),
          unless: role('secretary'),
          message: 'The secretary publishes: keep it as a draft.',
        },
      ],
      stamps: { create: { authorId: me.id, approved: false } },
    }),
    inspection: (inspection, { me, standing: { inspector, warden }, role }) => ({
      may: {
        read: [inspector, warden, role('secretary')],
        create: [inspector.provided(inspection.plot.standing.warden)],
        update: [inspector.except('inspectorId', 'plotId')],
        delete: [inspector, role('secretary')],
        // A question that pages ask before they show the button.
        confirm: [role('secretary').provided(inspection.state.is('draft'))],
      },
      vetoes: [
        {
          actions: ['update'],
          provided: inspection.state.is('filed'),
          message: 'A filed inspection is not rewritten.',
        },
        {
          actions: ['delete'],
          provided: inspection.state.is('filed'),
          unless: role('secretary').and(inspection.seasonEndsAt.isBefore(now)),
          message: 'A filed inspection stays until its season is over; then the secretary removes it.',
        },
      ],
      stamps: { create: { inspectorId: me.id } },
    }),
    invoice: (invoice, { standing: { debtor }, role }) => ({
      may: {
        read: [debtor, role('treasurer')],
        create: [role('treasurer')],
        update: [role('treasurer')],
        delete: [role('treasurer')],
      },
      vetoes: [{ actions: ['delete'], provided: invoice.paidAt.isPresent(), message: 'A paid bill is kept.' }],
    }),
  })
  .privileges({
    openLedger: ({ role }) => [role('treasurer', 'secretary')],
    startSeason: ({ role }) => [role('secretary')],
  })

/** The type of the rulebook, under a name that editors and messages show instead of its content. */
export interface Allotments extends WorldOf<typeof built> {}

export const book: Rulebook<Allotments> = built
