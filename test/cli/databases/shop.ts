import type { Sample } from './schema.js'

/** A shop: customers with orders and lines, products, support tickets with agents, reviews. Whole numbers as keys, no tenants. */
export const shop: Sample = {
  name: 'a shop',
  tables: ({ engine, serial, int, text, time, bool, money, now, no, one }) => [
    ...(engine === 'PostgreSQL'
      ? ["create type order_status as enum ('cart', 'paid', 'shipped')", "create type ticket_status as enum ('open', 'waiting', 'closed')"]
      : []),
    `create table customers (id ${serial}, email ${text} not null unique, name ${text} not null, password_hash ${text} not null, created_at ${time} not null default ${now}, deleted_at ${time})`,
    `create table categories (id ${serial}, name ${text} not null, parent_id ${int} references categories (id))`,
    `create table products (id ${serial}, category_id ${int} not null references categories (id), title ${text} not null, price ${money} not null, cost_price ${money} not null, is_published ${bool} not null default ${no})`,
    `create table orders (id ${serial}, customer_id ${int} not null references customers (id), status ${one('order_status', ['cart', 'paid', 'shipped'])} not null default 'cart', placed_at ${time}, total ${money} not null)`,
    `create table order_lines (order_id ${int} not null references orders (id) on delete cascade, line_no ${engine === 'SQLite' ? 'integer' : 'int'} not null, product_id ${int} not null references products (id), quantity ${int} not null default 1, primary key (order_id, line_no))`,
    `create table tickets (id ${serial}, customer_id ${int} not null references customers (id), assignee_id ${int} references customers (id), order_id ${int} references orders (id) on delete set null, status ${one('ticket_status', ['open', 'waiting', 'closed'])} not null, subject ${text} not null)`,
    `create table ticket_messages (id ${serial}, ticket_id ${int} not null references tickets (id) on delete cascade, author_id ${int} not null references customers (id), body ${text} not null, sent_at ${time} not null)`,
    `create table reviews (id ${serial}, product_id ${int} not null references products (id), created_by ${int} not null references customers (id), stars ${int} not null, body ${text}, published_at ${time})`,
    `create table addresses (id ${serial}, customer_id ${int} not null references customers (id), street ${text} not null, city ${text} not null)`,
  ],
  rows: [
    "insert into customers (email, name, password_hash) values ('ada@shop.example', 'Ada Berg', 'x'), ('bo@shop.example', 'Bo', 'x'), ('cy@shop.example', 'Cy', 'x')",
    "insert into categories (name) values ('Tools')",
    "insert into products (category_id, title, price, cost_price) values (1, 'Spade', 20, 8)",
    'insert into orders (customer_id, total) values (1, 20), (1, 40), (2, 20)',
    'insert into order_lines (order_id, line_no, product_id) values (1, 1, 1), (2, 1, 1), (3, 1, 1)',
    "insert into tickets (customer_id, assignee_id, order_id, status, subject) values (1, 3, 1, 'open', 'Late'), (2, 3, null, 'closed', 'Lost')",
  ],
  expected: [
    'people customer',
    'secret customer.passwordHash',
    'removal customer.deletedAt',
    'secret product.costPrice',
    'published product.isPublished',
    'owner order.customerId',
    'state order.status',
    'parent orderLine',
    'owner ticket.customerId',
    'assignee ticket.assigneeId',
    'state ticket.status',
    'author ticketMessage.authorId',
    'author review.createdBy',
    'published review.publishedAt',
    'owner address.customerId',
  ],
}
