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
    member: (_member, { standing: { oneself, warden }, role }) => ({
      may: {
        read: [oneself, warden, role('secretary', 'treasurer')],
        create: [role('secretary')],
        update: [role('secretary')],
      },
    }),
    site: (_site, { anyone, role }) => ({
      may: { read: [anyone], update: [role('secretary')] },
    }),
    plot: (plot, { standing: { holder, warden }, anyone, role }) => ({
      may: {
        read: [holder, warden, role('treasurer', 'secretary'), anyone.provided(plot.state.is('vacant'))],
        create: [warden],
        update: [warden, role('treasurer')],
        delete: [warden.provided(plot.state.is('vacant'))],
      },
      saying: { delete: 'Only the warden of its site removes a plot, once it is vacant.' },
    }),
    share: (_share, { standing: { giver, helper } }) => ({
      may: { read: [giver, helper], delete: [giver] },
    }),
    entry: (entry, { standing: { author, neighbour, warden }, anyone }) => ({
      may: {
        read: [author, neighbour.provided(entry.audience.is('site')), anyone.provided(entry.audience.is('everyone')), warden],
        create: [author],
        update: [author],
        delete: [author, warden],
      },
      saying: { update: 'Only its author rewrites an entry.', delete: 'Only its author or the warden removes an entry.' },
    }),
    remark: (_remark, { standing: { author } }) => ({
      may: { read: [author], create: [author], update: [author], delete: [author] },
    }),
    job: (job, { standing: { assignee, warden } }) => ({
      may: {
        read: [assignee, warden],
        create: [warden],
        update: [assignee.provided(job.state.is('open')), warden],
        delete: [warden],
      },
    }),
    notice: (notice, { standing: { author }, anyone, role }) => ({
      may: {
        read: [author, role('secretary'), anyone.provided(notice.state.is('published'), notice.publishedAt.isBefore(now))],
        create: [role('warden', 'secretary').provided(author)],
        update: [author.provided(notice.state.is('draft')), role('secretary')],
        delete: [author.provided(notice.state.is('draft')), role('secretary')],
      },
    }),
    inspection: (inspection, { standing: { inspector, warden }, role }) => ({
      may: {
        read: [inspector, warden, role('secretary')],
        create: [inspector],
        update: [inspector.provided(inspection.state.is('draft'))],
        delete: [
          inspector.provided(inspection.state.is('draft')),
          role('secretary').provided(inspection.state.is('filed'), inspection.seasonEndsAt.isBefore(now)),
        ],
      },
      saying: { delete: 'A filed inspection stays until its season is over.' },
    }),
    invoice: (invoice, { standing: { debtor }, role }) => ({
      may: {
        read: [debtor, role('treasurer')],
        create: [role('treasurer')],
        update: [role('treasurer')],
        delete: [role('treasurer').provided(invoice.paidAt.isMissing())],
      },
    }),
  })
