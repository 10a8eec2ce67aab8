// A made-up hostel as a Drizzle schema for PostgreSQL.
import { sql } from 'drizzle-orm'
import {
  bigint,
  boolean,
  date,
  foreignKey,
  index,
  integer,
  jsonb,
  numeric,
  pgEnum,
  pgPolicy,
  pgSchema,
  pgTable,
  primaryKey,
  serial,
  text,
  timestamp,
  unique,
  uniqueIndex,
  uuid,
  varchar,
} from 'drizzle-orm/pg-core'

export const bookingState = pgEnum('booking_state', ['held', 'paid', 'left'])
export const guests = pgTable('guests', {
  id: uuid('id').primaryKey().defaultRandom(),
  email: varchar('email', { length: 200 }).notNull().unique(),
  fullName: text('full_name').notNull(),
  passwordHash: text('password_hash').notNull(),
  isStaff: boolean('is_staff').notNull().default(false),
})
export const rooms = pgTable(
  'rooms',
  {
    number: integer('number').primaryKey(),
    beds: integer('beds').notNull().default(1),
    published: boolean('is_published').notNull().default(true),
    notes: text('notes'),
    floor: integer('floor').notNull(),
    door: text('door').notNull(),
  },
  (t) => [unique('door').on(t.floor, t.door)],
)
export const bookings = pgTable(
  'bookings',
  {
    id: serial('id').primaryKey(),
    guestId: uuid('guest_id')
      .notNull()
      .references(() => guests.id, { onDelete: 'cascade' }),
    roomNo: integer('room_number').references(() => rooms.number, { onDelete: 'set null' }),
    state: bookingState('state').notNull().default('held'),
    from: date('from_day').notNull(),
    price: numeric('price', { precision: 10, scale: 2 }),
    extras: jsonb('extras').notNull().default({}),
    tags: text('tags').array(),
    createdAt: timestamp('created_at', { withTimezone: true }).notNull().defaultNow(),
    deletedAt: timestamp('deleted_at', { withTimezone: true }),
  },
  (t) => [index('b').on(t.guestId), pgPolicy('own', { for: 'select' })],
)
export const bookingShares = pgTable(
  'booking_shares',
  {
    bookingId: integer('booking_id')
      .notNull()
      .references(() => bookings.id, { onDelete: 'cascade' }),
    guestId: uuid('guest_id')
      .notNull()
      .references(() => guests.id, { onDelete: 'cascade' }),
    expiresAt: timestamp('expires_at', { withTimezone: true }),
  },
  (t) => [primaryKey({ columns: [t.bookingId, t.guestId] })],
)
const hidden = pgTable('hidden', { id: integer().primaryKey() })
export const audit = pgSchema('log').table(
  'audit',
  {
    id: bigint({ mode: 'number' }).primaryKey().generatedAlwaysAsIdentity(),
    what: text().notNull(),
    who: uuid().references(() => guests.id),
    hiddenId: integer().references(() => hidden.id),
    parent: bigint({ mode: 'number' }),
  },
  (t) => [foreignKey({ columns: [t.parent], foreignColumns: [t.id] }), uniqueIndex('w').on(t.what).where(sql`who is null`)],
)
