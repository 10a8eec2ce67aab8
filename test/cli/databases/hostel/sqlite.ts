// The hostel as a Drizzle schema for SQLite.
import { integer, primaryKey, real, sqliteTable, text } from 'drizzle-orm/sqlite-core'

export const guests = sqliteTable('guests', {
  id: integer('id').primaryKey(),
  email: text('email').notNull().unique(),
  isStaff: integer('is_staff', { mode: 'boolean' }).notNull().default(false),
})
export const bookings = sqliteTable('bookings', {
  id: text('id').primaryKey(),
  guestId: integer('guest_id')
    .notNull()
    .references(() => guests.id, { onDelete: 'cascade' }),
  price: real('price'),
  note: text('note').default('none'),
})
export const bookingShares = sqliteTable(
  'booking_shares',
  {
    bookingId: text('booking_id')
      .notNull()
      .references(() => bookings.id, { onDelete: 'cascade' }),
    guestId: integer('guest_id')
      .notNull()
      .references(() => guests.id, { onDelete: 'cascade' }),
  },
  (t) => [primaryKey({ columns: [t.bookingId, t.guestId] })],
)
