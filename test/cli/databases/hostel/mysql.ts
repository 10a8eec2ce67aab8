// The hostel as a Drizzle schema for MariaDB.
import {
  bigint,
  boolean,
  date,
  datetime,
  decimal,
  foreignKey,
  int,
  json,
  mysqlEnum,
  mysqlTable,
  primaryKey,
  unique,
  varchar,
} from 'drizzle-orm/mysql-core'

export const guests = mysqlTable('guests', {
  id: bigint('id', { mode: 'number' }).autoincrement().primaryKey(),
  email: varchar('email', { length: 200 }).notNull().unique(),
  isStaff: boolean('is_staff').notNull().default(false),
})
export const bookings = mysqlTable(
  'bookings',
  {
    id: int('id').autoincrement().primaryKey(),
    guestId: bigint('guest_id', { mode: 'number' })
      .notNull()
      .references(() => guests.id, { onDelete: 'cascade' }),
    state: mysqlEnum('state', ['held', 'paid', 'left']).notNull().default('held'),
    from: date('from_day').notNull(),
    price: decimal('price', { precision: 10, scale: 2 }),
    extras: json('extras'),
    createdAt: datetime('created_at', { fsp: 6 }).notNull(),
    parent: int('parent_id'),
  },
  (t) => [unique('once').on(t.guestId, t.from), foreignKey({ columns: [t.parent], foreignColumns: [t.id] }).onDelete('set null')],
)
export const bookingShares = mysqlTable(
  'booking_shares',
  {
    bookingId: int('booking_id')
      .notNull()
      .references(() => bookings.id, { onDelete: 'cascade' }),
    guestId: bigint('guest_id', { mode: 'number' })
      .notNull()
      .references(() => guests.id, { onDelete: 'cascade' }),
  },
  (t) => [primaryKey({ columns: [t.bookingId, t.guestId] })],
)
