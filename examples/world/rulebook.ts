// Who may do what at Marsh Lane Allotments.
import { allOf, anyOf, forever, now, rulebook } from 'pachter'
import { Entry, Inspection, Invoice, Job, Member, Notice, Plot, Remark, Session, Share, Site } from './shapes.js'

export const book = rulebook({
  me: { shape: Session, key: 'id' },
  records: {
    member: { shape: Member, key: 'id' },
    site: { shape: Site, key: 'id' },
    plot: { shape: Plot, key: 'id' },
    share: { shape: Share, key: 'id', times: ['until'] },
    entry: { shape: Entry, key: 'id', times: ['writtenAt', 'editedAt'] },
    remark: { shape: Remark, key: 'id', times: ['writtenAt'] },
    job: { shape: Job, key: 'id', times: ['dueAt'] },
    notice: { shape: Notice, key: 'id', times: ['publishedAt'] },
    inspection: { shape: Inspection, key: 'id', times: ['seasonEndsAt'] },
    invoice: { shape: Invoice, key: 'id', times: ['dueAt', 'paidAt'] },
  },
})
  .standings({
    member: (member, { me }) => ({
      oneself: member.id.is(me.id),
      neighbour: me.siteIds.overlaps(member.siteIds),
      warden: allOf(me.roles.has('warden'), me.siteIds.overlaps(member.siteIds)),
    }),
    plot: (plot, { me }) => ({
      holder: plot.holderId.is(me.id),
      warden: allOf(me.roles.has('warden'), me.siteIds.has(plot.siteId)),
    }),
    share: (share, { me }) => ({
      giver: share.grantedById.is(me.id),
      helper: allOf(share.memberId.is(me.id), share.until.orElse(forever).isAfter(now)),
    }),
    entry: (entry, { me }) => ({
      author: entry.authorId.is(me.id),
      neighbour: me.siteIds.has(entry.siteId),
      warden: allOf(me.roles.has('warden'), me.siteIds.has(entry.siteId)),
    }),
    remark: (remark, { me }) => ({ author: remark.authorId.is(me.id) }),
    job: (job, { me }) => ({
      assignee: anyOf(job.assigneeIds.has(me.id), job.assigneeEmails.hasIgnoringCase(me.email)),
      warden: allOf(me.roles.has('warden'), me.siteIds.has(job.siteId)),
    }),
    notice: (notice, { me }) => ({ author: notice.authorId.is(me.id) }),
    inspection: (inspection, { me }) => ({
      inspector: allOf(me.roles.has('warden'), inspection.inspectorId.is(me.id)),
      warden: allOf(me.roles.has('warden'), me.siteIds.has(inspection.siteId)),
    }),
    invoice: (invoice, { me }) => ({ debtor: invoice.memberId.is(me.id) }),
  })
  .rules({
    member: (_member, { standing: { oneself, neighbour, warden }, role }) => ({
      may: {
        read: [oneself, warden.except('phone'), role('secretary', 'treasurer'), neighbour.only('name', 'siteIds')],
        create: [role('secretary')],
        // One's own roles, sites and ban are not one's own to change.
        update: [oneself.only('name', 'email', 'phone'), role('secretary')],
      },
    }),
    site: (_site, { anyone, signedIn, role }) => ({
      may: { read: [anyone.only('name'), signedIn], update: [role('secretary')] },
    }),
    plot: (plot, { standing: { holder, warden }, anyone, role }) => ({
      may: {
        read: [
          holder.except('wardenNotes'),
          warden,
          role('treasurer', 'secretary').except('wardenNotes'),
          anyone.provided(plot.state.is('vacant')).only('number', 'siteId', 'state'),
        ],
        create: [warden.except('rentDue')],
        update: [holder.only('planting'), warden.except('rentDue'), role('treasurer').only('rentDue')],
        delete: [warden.provided(plot.state.is('vacant'))],
      },
      vetoes: [
        {
          actions: ['update'],
          provided: plot.state.is('ending'),
          unless: warden,
          saying: 'This lease is ending: ask the warden.',
        },
      ],
      saying: { delete: 'Only the warden of its site removes a plot, once it is vacant.' },
    }),
    share: (_share, { standing: { giver, helper } }) => ({
      may: { read: [giver, helper], update: [giver.only('level', 'until')], delete: [giver] },
    }),
    entry: (entry, { me, standing: { author, neighbour, warden }, anyone }) => ({
      may: {
        read: [author, neighbour.provided(entry.audience.is('site')), anyone.provided(entry.audience.is('everyone')), warden],
        create: [author.only('plotId', 'siteId', 'audience', 'text')],
        update: [author.only('text', 'audience')],
        delete: [author, warden],
      },
      stamps: { create: { authorId: me.id, writtenAt: now }, update: { editedAt: now } },
      saying: { update: 'Only its author rewrites an entry.', delete: 'Only its author or the warden removes an entry.' },
    }),
    remark: (_remark, { me, standing: { author } }) => ({
      may: { read: [author], create: [author.only('entryId', 'parentId', 'text')], update: [author.only('text')], delete: [author] },
      stamps: { create: { authorId: me.id, writtenAt: now } },
    }),
    job: (job, { standing: { assignee, warden } }) => ({
      may: {
        read: [assignee, warden],
        create: [warden],
        // Whoever it is given to may finish it; only the warden opens it again.
        update: [assignee.provided(job.state.is('open')).only('state').afterwards(assignee), warden],
        delete: [warden],
      },
    }),
    notice: (notice, { me, standing: { author }, anyone, role }) => ({
      may: {
        read: [author, role('secretary'), anyone.provided(notice.state.is('published'), notice.publishedAt.isBefore(now))],
        create: [role('warden').provided(author).only('title', 'text', 'state'), role('secretary')],
        update: [author.only('title', 'text'), role('secretary')],
        delete: [author.provided(notice.state.is('draft')), role('secretary')],
      },
      vetoes: [
        {
          actions: ['update'],
          provided: notice.state.is('published'),
          unless: role('secretary'),
          saying: 'A published notice is changed by the secretary only.',
        },
        {
          actions: ['create'],
          provided: notice.state.is('published'),
          unless: role('secretary'),
          saying: 'The secretary publishes: keep it as a draft.',
        },
      ],
      stamps: { create: { authorId: me.id } },
    }),
    inspection: (inspection, { me, standing: { inspector, warden }, role }) => ({
      may: {
        read: [inspector, warden, role('secretary')],
        create: [inspector],
        update: [inspector.except('inspectorId', 'plotId', 'siteId')],
        delete: [inspector, role('secretary')],
      },
      vetoes: [
        {
          actions: ['update'],
          provided: inspection.state.is('filed'),
          saying: 'A filed inspection is not rewritten.',
        },
        {
          actions: ['delete'],
          provided: inspection.state.is('filed'),
          unless: role('secretary').and(inspection.seasonEndsAt.isBefore(now)),
          saying: 'A filed inspection stays until its season is over; then the secretary removes it.',
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
      vetoes: [{ actions: ['delete'], provided: invoice.paidAt.isPresent(), saying: 'A paid bill is kept.' }],
    }),
  })
  .privileges({
    openLedger: ({ role }) => [role('treasurer', 'secretary')],
    startSeason: ({ role }) => [role('secretary')],
  })
