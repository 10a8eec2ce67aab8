// Labels and inputs of the fields. The rules decide which of them a person may fill in.
import type { TypeName } from '../records.js'

export interface FieldLook {
  readonly label: string
  readonly kind:
    | 'text'
    | 'long'
    | 'whole'
    | 'money'
    | 'day'
    | 'yes'
    | 'one of'
    | 'some of'
    | 'member'
    | 'members'
    | 'site'
    | 'sites'
    | 'plot'
    | 'team'
    | 'emails'
  readonly of?: readonly string[]
  readonly help?: string
  /** May be left empty: then it is sent as null where there was something. */
  readonly optional?: true
  /** A day counts from its beginning, and not until its end. */
  readonly from?: true
  /** Nobody at all is said as null, and not by leaving it out. */
  readonly nullable?: true
}

type Looks = { readonly [field: string]: FieldLook }

const ROLES = ['warden', 'treasurer', 'secretary']

export const FIELDS: { readonly [type in TypeName]: Looks } = {
  member: {
    name: { label: 'Name', kind: 'text' },
    email: { label: 'Email address', kind: 'text' },
    phone: { label: 'Telephone', kind: 'text', optional: true },
    roles: { label: 'Roles', kind: 'some of', of: ROLES },
    siteIds: { label: 'Sites', kind: 'sites' },
    area: { label: 'Looks after sites whose path begins with', kind: 'text', optional: true },
    points: { label: 'Points for common work', kind: 'whole' },
    banned: { label: 'Banned', kind: 'yes' },
  },
  site: {
    name: { label: 'Name', kind: 'text' },
    path: { label: 'Path', kind: 'text' },
    gate: { label: 'Gate', kind: 'text' },
  },
  team: { name: { label: 'Name', kind: 'text' }, memberIds: { label: 'Members', kind: 'members' } },
  plot: {
    number: { label: 'Number', kind: 'whole' },
    siteId: { label: 'Site', kind: 'site' },
    holderId: { label: 'Holder', kind: 'member', nullable: true },
    coHolderIds: { label: 'Held together with', kind: 'members' },
    state: { label: 'Lease', kind: 'one of', of: ['vacant', 'let', 'ending'] },
    planting: { label: 'Planting', kind: 'text', help: 'What grows there, separated by commas.' },
    rentDue: { label: 'Rent due', kind: 'money' },
    wardenNotes: { label: "Warden's notes", kind: 'long', optional: true, help: 'Only wardens see them.' },
  },
  share: {
    plotId: { label: 'Plot', kind: 'plot' },
    memberId: { label: 'Helper', kind: 'member', optional: true, help: 'Found by name, among the members of your sites.' },
    role: { label: 'Everyone with the role', kind: 'one of', of: ROLES, optional: true },
    level: { label: 'They may', kind: 'one of', of: ['look', 'tend'] },
    until: { label: 'Until the end of', kind: 'day', optional: true, help: 'Leave it empty for no end date.' },
  },
  entry: {
    plotId: { label: 'Plot', kind: 'plot' },
    audience: { label: 'For', kind: 'one of', of: ['plot', 'site', 'everyone'] },
    text: { label: 'What happened', kind: 'long' },
  },
  remark: { text: { label: 'Remark', kind: 'long' } },
  job: {
    title: { label: 'What is to be done', kind: 'text' },
    siteId: { label: 'Site', kind: 'site' },
    assigneeIds: { label: 'For', kind: 'members' },
    assigneeEmails: { label: 'For, by email address', kind: 'emails' },
    teamId: { label: 'For the team', kind: 'team', optional: true },
    dueAt: { label: 'By the end of', kind: 'day' },
    state: { label: 'State', kind: 'one of', of: ['open', 'done'] },
  },
  notice: {
    title: { label: 'Title', kind: 'text' },
    text: { label: 'Text', kind: 'long' },
    state: { label: 'State', kind: 'one of', of: ['draft', 'published'] },
    approved: { label: 'Approved', kind: 'yes' },
    publishedAt: { label: 'Published on', kind: 'day', from: true, optional: true },
    authorId: { label: 'Author', kind: 'member' },
  },
  inspection: {
    plotId: { label: 'Plot', kind: 'plot' },
    findings: { label: 'Findings', kind: 'long' },
    seasonEndsAt: { label: 'Season ends', kind: 'day' },
    state: { label: 'State', kind: 'one of', of: ['draft', 'filed'] },
  },
  invoice: {
    plotId: { label: 'Plot', kind: 'plot' },
    memberId: { label: 'For', kind: 'member' },
    amount: { label: 'Amount', kind: 'money' },
    dueAt: { label: 'Due', kind: 'day' },
    paidAt: { label: 'Paid', kind: 'day', optional: true },
  },
}

/** What a new record begins with. */
export const BLANK: { readonly [type in TypeName]?: object } = {
  member: { name: '', email: '', roles: [], siteIds: [], points: 0, banned: false },
  team: { name: '', memberIds: [] },
  plot: { holderId: null, coHolderIds: [], state: 'vacant', planting: '' },
  share: { level: 'look' },
  entry: { audience: 'plot', text: '' },
  job: { title: '', assigneeIds: [], assigneeEmails: [], state: 'open' },
  notice: { title: '', text: '', state: 'draft' },
  inspection: { findings: '', state: 'draft' },
}

/** A day as text, from an instant. */
export const dayOf = (instant: string | undefined) => instant?.slice(0, 10) ?? ''

/** The beginning of a day, as an instant. */
export const beginningOf = (day: string) => `${day}T00:00:00.000Z`

/** The end of a day, as an instant. */
export const endOf = (day: string) => `${day}T23:59:59.000Z`

/** A day, for people. */
export const dayText = (instant: string | undefined) =>
  instant === undefined
    ? ''
    : new Date(instant).toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year: 'numeric', timeZone: 'UTC' })

/** A sum, for people. */
export const moneyText = (amount: number | undefined) => (amount === undefined ? '' : `£${amount.toFixed(2)}`)
