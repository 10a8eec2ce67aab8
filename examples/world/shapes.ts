// The shapes of the allotment world. Any Standard Schema library would do.
import { z } from 'zod'

const Id = z.string().min(1)
const Time = z.iso.datetime()

const Role = z.enum(['warden', 'treasurer', 'secretary'])

/** The claims: only what the sign-in knows. Roles and sites are read from the member's own record. */
export const Session = z.object({ id: Id, email: z.email().optional() })

export const Member = z.object({
  id: Id,
  name: z.string().min(1),
  email: z.email(),
  phone: z.string().optional(),
  roles: z.array(Role),
  siteIds: z.array(Id),
  /** Looks after every site whose path starts with this. */
  area: z.string().min(1).optional(),
  /** Earned by work on the common ground. */
  points: z.int().nonnegative(),
  banned: z.boolean(),
})

export const Site = z.object({ id: Id, name: z.string().min(1), path: z.string().min(1), gate: z.string() })

/** A working party. */
export const Team = z.object({ id: Id, name: z.string().min(1), memberIds: z.array(Id) })

export const Plot = z.object({
  id: Id,
  number: z.int().positive(),
  siteId: Id,
  /** Null if nobody holds it. */
  holderId: Id.nullable(),
  /** Members who hold it together with the holder. */
  coHolderIds: z.array(Id),
  state: z.enum(['vacant', 'let', 'ending']),
  planting: z.string(),
  rentDue: z.number().nonnegative(),
  wardenNotes: z.string().optional(),
})

/** A plot shared with a member or with all members with a role, to look at or also to tend, until a day or without end. */
export const Share = z.object({
  id: Id,
  plotId: Id,
  grantedById: Id,
  memberId: Id.optional(),
  role: Role.optional(),
  level: z.enum(['look', 'tend']),
  until: Time.optional(),
})

/** An entry in the diary of a plot. */
export const Entry = z.object({
  id: Id,
  plotId: Id,
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

/** Work on a site, assigned to members by id or by email address, or to a team. */
export const Job = z.object({
  id: Id,
  siteId: Id,
  title: z.string().min(1),
  assigneeIds: z.array(Id),
  assigneeEmails: z.array(z.email()),
  teamId: Id.optional(),
  state: z.enum(['open', 'done']),
  dueAt: Time,
})

export const Notice = z.object({
  id: Id,
  authorId: Id,
  state: z.enum(['draft', 'published']),
  /** Set only by the secretary. */
  approved: z.boolean(),
  publishedAt: Time.optional(),
  title: z.string().min(1),
  text: z.string(),
})

/** A warden's report about a plot. Once filed, it stays until its season is over. */
export const Inspection = z.object({
  id: Id,
  plotId: Id,
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
