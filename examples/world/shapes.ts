// The shapes of the allotment world. Any library that follows Standard Schema would do.
import { z } from 'zod'

const Id = z.string().min(1)
const Time = z.iso.datetime()

/** Who is asking: what the sign-in knows of them. */
export const Session = z.object({
  id: Id,
  email: z.email().optional(),
  roles: z.array(z.enum(['warden', 'treasurer', 'secretary'])),
  siteIds: z.array(Id),
})

export const Member = z.object({
  id: Id,
  name: z.string().min(1),
  email: z.email(),
  phone: z.string().optional(),
  roles: z.array(z.enum(['warden', 'treasurer', 'secretary'])),
  siteIds: z.array(Id),
  banned: z.boolean(),
})

export const Site = z.object({ id: Id, name: z.string().min(1), gate: z.string() })

export const Plot = z.object({
  id: Id,
  number: z.int().positive(),
  siteId: Id,
  /** Nobody's, where it is null. */
  holderId: Id.nullable(),
  state: z.enum(['vacant', 'let', 'ending']),
  planting: z.string(),
  rentDue: z.number().nonnegative(),
  wardenNotes: z.string().optional(),
})

/** A plot shared with a member, to look at or to tend as well, until a day or for good. */
export const Share = z.object({
  id: Id,
  plotId: Id,
  grantedById: Id,
  memberId: Id,
  level: z.enum(['look', 'tend']),
  until: Time.optional(),
})

/** An entry in the diary of a plot. */
export const Entry = z.object({
  id: Id,
  plotId: Id,
  siteId: Id,
  authorId: Id,
  audience: z.enum(['plot', 'site', 'everyone']),
  text: z.string().min(1),
  writtenAt: Time,
  editedAt: Time.optional(),
})

/** A remark on an entry, or on another remark. */
export const Remark = z.object({
  id: Id,
  entryId: Id,
  parentId: Id.nullable(),
  authorId: Id,
  text: z.string().min(1),
  writtenAt: Time,
})

/** Work to be done on a site, given to members by id or by email address. */
export const Job = z.object({
  id: Id,
  siteId: Id,
  title: z.string().min(1),
  assigneeIds: z.array(Id),
  assigneeEmails: z.array(z.email()),
  state: z.enum(['open', 'done']),
  dueAt: Time,
})

export const Notice = z.object({
  id: Id,
  authorId: Id,
  state: z.enum(['draft', 'published']),
  publishedAt: Time.optional(),
  title: z.string().min(1),
  text: z.string(),
})

/** What a warden found on a plot. Once filed, it stays until its season is over. */
export const Inspection = z.object({
  id: Id,
  plotId: Id,
  siteId: Id,
  inspectorId: Id,
  state: z.enum(['draft', 'filed']),
  seasonEndsAt: Time,
  findings: z.string(),
})

/** A bill for the rent of a plot. */
export const Invoice = z.object({
  id: Id,
  plotId: Id,
  memberId: Id,
  amount: z.number().nonnegative(),
  dueAt: Time,
  paidAt: Time.optional(),
})
