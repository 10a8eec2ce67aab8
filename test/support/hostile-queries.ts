// Queries of people who want to see more than they may.
import { sql } from 'kysely'

export type Queries = any
/** A query that is refused, and what is said of it. */
export type Hostile = readonly [name: string, ask: (queries: Queries) => unknown, says: RegExp]

export const plots = (queries: Queries) => queries.selectFrom('plot')
const shown = (text: string, ask: (queries: Queries) => unknown, says: RegExp): Hostile => [text, ask, says]
/** SQL text where a value is selected. */
const raw = (text: string, says: RegExp): Hostile => [`sql\`${text}\``, (queries) => plots(queries).select(sql.raw(text).as('x')), says]
/** A node that no builder makes. */
const forged = (node: object) => ({ toOperationNode: () => node, expressionType: undefined })

export const RAW: readonly Hostile[] = [
  raw('(select "rentDue" from "plot")', /which is not read|names "select"/),
  raw('(table plot)', /names "table"/),
  raw('(values (1))', /names "values"/),
  raw('"plot"."wardenNotes"', /which is not read/),
  raw('`wardenNotes`', /which is not read/),
  raw('[wardenNotes]', /which is not read/),
  raw('wardenNotes', /names "wardennotes"/),
  raw('plot.wardenNotes', /names "plot"|which is not read/),
  raw('current_user', /names "current_user"/),
  raw('session_user', /names "session_user"/),
  raw('user', /names "user"/),
  raw('current_setting(1)', /names "current_setting"/),
  raw('pg_sleep(10)', /names "pg_sleep"/),
  raw("query_to_xml('select 1', true, true, '')", /names "query_to_xml"/),
  raw("'plot'::regclass", /names "regclass"/),
  raw("cast('plot' as regclass)", /names "as"/),
  raw("'x'::text::xml", /names "xml"/),
  raw('@@version', /which is not read/),
  raw('@a := 1', /which is not read/),
  raw('1; drop table plot', /which is not read/),
  raw('1 -- and so on', /comment/),
  raw('1 /* and so on */', /comment/),
  raw('1 # and so on', /comment/),
  raw('1) from plot --', /comment/),
  raw('1) union (1', /names "union"|parenthesis/),
  raw(') or (1 = 1', /parenthesis/),
  raw("'it''s' || \\'", /which is not read/),
  raw("e'\\\\x'", /names "e"|which is not read/),
  raw('$$plot$$', /which is not read/),
  raw("x'00'", /names "x"/),
  raw('1e5', /names "e5"/),
  raw('sleep(5)', /names "sleep"/),
  raw('set_config(1)', /names "set_config"/),
  raw('nextval(1)', /names "nextval"/),
  raw('random()', /names "random"/),
  raw('generate_series(1, 1000000000)', /names "generate_series"/),
  raw('repeat(1, 1000000000)', /names "repeat"/),
  raw('row_to_json(plot)', /names "row_to_json"/),
  raw('exists (select 1)', /names "exists"|names "select"/),
  raw('1 from plot', /names "from"/),
  raw('extract(year from plot)', /names "plot"/),
  raw('1 into outfile', /names "into"/),
  raw('1 limit 1', /names "limit"/),
  raw('1 for update', /names "for"/),
  raw('case when 1 then 2 end collate nocase', /names "collate"/),
  raw('match (1) against (2)', /names "match"|names "against"/),
  shown(
    'a comment that begins in one fragment and ends in another',
    (q) => plots(q).select(sql`1 ${sql.raw('/')}${sql.raw('*')}`.as('x')),
    /comment/,
  ),
  shown('a comment of two signs from two fragments', (q) => plots(q).select(sql`1 -${sql`- 1`}`.as('x')), /comment/),
  shown('a value inside a text', (q) => plots(q).select(sql`'${'x'}'`.as('x')), /which is not read/),
  shown('a name in two fragments', (q) => plots(q).select(sql`pg_${sql.raw('sleep')}(1)`.as('x')), /names "pg_sleep"/),
  shown('sql.table', (q) => plots(q).select(sql`${sql.table('plot')}`.as('x')), /stands where a value does|named/),
  shown('sql.id', (q) => plots(q).select(sql`${sql.id('wardenNotes')}`.as('x')), /sql\.id or sql\.table/),
  shown(
    'sql.id with a schema',
    (q) => plots(q).select(sql`${sql.id('main', 'plot', 'wardenNotes')}`.as('x')),
    /which is not read|sql\.id or sql\.table|names/,
  ),
  shown('sql.ref of a hidden table', (q) => plots(q).select(sql`${sql.ref('invoice.amount')}`.as('x')), /there is no "invoice"/),
  shown('a subquery in SQL text', (q) => q.selectFrom(sql`(select * from plot)`.as('p')).selectAll(), /no SQL text/),
  shown('a table in SQL text', (q) => q.selectFrom(sql`plot`.as('p')).selectAll(), /no SQL text/),
  shown('a join in SQL text', (q) => plots(q).innerJoin(sql`invoice`.as('i'), 'i.id', 'plot.id').selectAll(), /no SQL text/),
  shown(
    'a name with columns in SQL text',
    (q) => q.selectFrom(plots(q).select('id').as(sql`p(x)`)).selectAll(),
    /name in SQL text|cannot be guarded/,
  ),
  shown('a literal with a quote', (q) => plots(q).select(sql.lit("x' or 1=1 --").as('x')), /a literal may be/),
  shown('a negative literal after a sign', (q) => plots(q).select(sql`1 -${sql.lit(-1)}`.as('x')), /a literal may be/),
  shown(
    'JSON of a table in SQL text',
    (q) => plots(q).select(sql`(select coalesce(json_agg(agg), '[]') from ${sql.table('invoice')} as agg)`.as('x')),
    /which is not read|names "select"/,
  ),
  shown(
    'JSON of a hidden table',
    (q) =>
      plots(q).select((eb: any) =>
        sql`(select coalesce(json_agg(agg), '[]') from ${eb.selectFrom('sqlite_master').selectAll()} as agg)`.as('x'),
      ),
    /no rules for a table/,
  ),
  shown(
    'JSON with more behind it',
    (q) => plots(q).select((eb: any) => sql`(select to_json(obj) from ${eb.selectFrom('plot').selectAll()} as obj, invoice)`.as('x')),
    /names "select"/,
  ),
  shown('a direction in SQL text', (q) => plots(q).select('id').orderBy('id', sql`desc, (select 1)`), /names "select"/),
]

export const NODES: readonly Hostile[] = [
  shown('a table without rules', (q) => q.selectFrom('sqlite_master').selectAll(), /no rules for a table "sqlite_master"/),
  shown('a catalog', (q) => q.selectFrom('information_schema.tables').selectAll(), /no rules for a table "information_schema.tables"/),
  shown('another schema', (q) => q.selectFrom('other.plot').selectAll(), /no rules for a table "other.plot"/),
  shown('the table of removed keys', (q) => q.selectFrom('pachter_removed').selectAll(), /no rules for a table/),
  shown('another letter case', (q) => q.selectFrom('PLOT').selectAll(), /no rules for a table "PLOT"/),
  shown('a hidden table in a join', (q) => plots(q).innerJoin('sqlite_master as m', 'm.name', 'plot.id').selectAll(), /no rules/),
  shown(
    'a hidden table in EXISTS',
    (q) =>
      plots(q)
        .selectAll()
        .where((eb: any) => eb.exists(eb.selectFrom('sqlite_master').selectAll())),
    /no rules/,
  ),
  shown(
    'a hidden table in a list',
    (q) =>
      plots(q)
        .selectAll()
        .where('id', 'in', (eb: any) => eb.selectFrom('sqlite_master').select('name')),
    /no rules/,
  ),
  shown(
    'a hidden table in UNION',
    (q) =>
      plots(q)
        .select('id')
        .union((eb: any) => eb.selectFrom('sqlite_master').select('name')),
    /no rules/,
  ),
  shown(
    'a hidden table in WITH',
    (q) =>
      q
        .with('m', (w: any) => w.selectFrom('sqlite_master').selectAll())
        .selectFrom('m')
        .selectAll(),
    /no rules/,
  ),
  shown('a hidden table beside another', (q) => q.selectFrom(['plot', 'sqlite_master']).selectAll(), /no rules/),
  shown(
    'a part of WITH called as a table',
    (q) =>
      q
        .with('share', (w: any) => w.selectFrom('plot').selectAll())
        .selectFrom('plot')
        .selectAll(),
    /called "share", as a table is/,
  ),
  shown(
    'the same in capitals',
    (q) =>
      q
        .with('SHARE', (w: any) => w.selectFrom('plot').selectAll())
        .selectFrom('plot')
        .selectAll(),
    /called "SHARE"/,
  ),
  shown(
    'a part of WITH that the part before it reads',
    (q) =>
      q
        .with('x', (w: any) => w.selectFrom('y').selectAll())
        .with('y', (w: any) => w.selectFrom('plot').selectAll())
        .selectFrom('x')
        .selectAll(),
    /no rules for a table "y"/,
  ),
  shown(
    'a part of WITH that is seen outside',
    (q) =>
      q
        .selectFrom(
          q
            .with('x', (w: any) => w.selectFrom('plot').selectAll())
            .selectFrom('x')
            .selectAll()
            .as('s'),
        )
        .innerJoin('x', 'x.id', 's.id')
        .selectAll(),
    /no rules for a table "x"/,
  ),
  shown(
    'WITH that writes',
    (q) =>
      q
        .with('x', () => forged({ kind: 'DeleteQueryNode', from: {} }))
        .selectFrom('x')
        .selectAll(),
    /mine\.delete/,
  ),
  shown('a column that is not there', (q) => plots(q).select('plot.secret'), /"plot" has no column "secret"/),
  shown('a column without a table', (q) => plots(q).select('rowid'), /has a column "rowid"/),
  shown('a whole row', (q) => plots(q).select('plot'), /has a column "plot"/),
  shown('a column of another table', (q) => plots(q).select('member.phone'), /there is no "member"/),
  shown('a function as a column', (q) => plots(q).select('plot.row_to_json'), /no column "row_to_json"/),
  shown(
    'a function that reads files',
    (q) => plots(q).select((eb: any) => eb.fn('pg_read_file', ['id']).as('x')),
    /"pg_read_file" is not known/,
  ),
  shown('a function in another letter case', (q) => plots(q).select((eb: any) => eb.fn('PG_Sleep', ['id']).as('x')), /is not known/),
  shown(
    'a function with a schema',
    (q) => plots(q).select((eb: any) => eb.fn('pg_catalog.lower', ['id']).as('x')),
    /cannot be the name of a function/,
  ),
  shown(
    'a function that is SQL',
    (q) => plots(q).select((eb: any) => eb.fn('lower(1) from plot --', ['id']).as('x')),
    /cannot be the name of a function/,
  ),
  shown(
    'an aggregate that is SQL',
    (q) => plots(q).select((eb: any) => eb.fn.agg('count(*) from plot; --', ['id']).as('x')),
    /cannot be the name of a function/,
  ),
  shown('a function as a table', (q) => q.selectFrom((eb: any) => eb.fn('json_each', [eb.val('[]')]).as('j')).selectAll(), /no functions/),
  shown(
    'a cast to a name of the catalog',
    (q) => plots(q).select((eb: any) => eb.cast('id', sql`regclass`).as('x')),
    /no cast to regclass/,
  ),
  shown('a lock', (q) => plots(q).selectAll().forUpdate(), /no locks/),
  shown('a shared lock', (q) => plots(q).selectAll().forShare(), /no locks/),
  shown('an ending', (q) => plots(q).selectAll().modifyEnd(sql`; drop table plot`), /no locks and no other endings/),
  shown(
    'words after SELECT',
    (q) => plots(q).selectAll().modifyFront(sql`sql_calc_found_rows`),
    /only DISTINCT|of SelectModifierNode|cannot/,
  ),
  shown('TOP', (q) => plots(q).selectAll().top(1), /top/i),
  shown('a node that is no SELECT', (q) => plots(q).select((eb: any) => forged({ kind: 'DropTableNode', table: eb })), /only SELECT/),
  shown(
    'a forged table where a value is',
    (q) =>
      plots(q).where(
        'id',
        '=',
        forged({ kind: 'TableNode', table: { kind: 'SchemableIdentifierNode', identifier: { kind: 'IdentifierNode', name: 'invoice' } } }),
      ),
    /stands where a value does/,
  ),
  shown(
    'a forged operator',
    (q) =>
      plots(q)
        .selectAll()
        .where(
          forged({
            kind: 'BinaryOperationNode',
            leftOperand: { kind: 'ValueNode', value: 1 },
            operator: { kind: 'OperatorNode', operator: '= 1 or 1 =' },
            rightOperand: { kind: 'ValueNode', value: 1 },
          }),
        ),
    /operator of OperatorNode/,
  ),
  shown(
    'a forged order',
    (q) =>
      plots(q)
        .selectAll()
        .orderBy(forged({ kind: 'OrderByItemNode', orderBy: {}, nulls: 'first, (select 1)' })),
    /only SELECT|nulls of/,
  ),
  shown(
    'a forged join',
    (q) =>
      plots(q)
        .selectAll()
        .where(forged({ kind: 'JoinNode', joinType: 'constructor', table: {} })),
    /joinType of JoinNode/,
  ),
  shown('a node of no kind', (q) => plots(q).select(() => [{ toOperationNode: () => ({}) }]), /only SELECT/),
  shown(
    'a kind that objects have',
    (q) =>
      plots(q)
        .selectAll()
        .where(forged({ kind: 'constructor' })),
    /only SELECT/,
  ),
  shown(
    'an object as a value',
    (q) =>
      plots(q)
        .selectAll()
        .where('id', '=', { toSqlString: () => '1 or 1=1' }),
    /a value is an object/,
  ),
  shown(
    'an object in a list',
    (q) =>
      plots(q)
        .selectAll()
        .where('id', 'in', [{ id: 1 }]),
    /a value is an object/,
  ),
  shown('undefined as a value', (q) => plots(q).selectAll().where('id', '=', undefined), /undefined/),
  shown(
    'a collation',
    (q) =>
      plots(q)
        .selectAll()
        .orderBy('id', (ob: any) => ob.collate('nocase')),
    /no collations/,
  ),
  shown(
    'a very deep query',
    (q) =>
      plots(q)
        .selectAll()
        .where((eb: any) => Array.from({ length: 400 }).reduce((inner: any) => eb.not(inner), eb('id', '=', 'x'))),
    /parts/,
  ),
  shown(
    'a very long query',
    (q) =>
      plots(q)
        .selectAll()
        .where((eb: any) => eb.or(Array.from({ length: 4000 }, () => eb('id', '=', 'x')))),
    /parts/,
  ),
  shown(
    'a JSON path that ends its text',
    (q) => plots(q).select((eb: any) => eb.ref('planting', '->$').key("\\' or 1=1").as('x')),
    /value of JSONPathLegNode/,
  ),
  shown(
    'a plugin',
    (q) =>
      plots(q)
        .selectAll()
        .withPlugin({ transformQuery: ({ node }: any) => node, transformResult: async ({ result }: any) => result }),
    /takes no plugins/,
  ),
  shown('two tables with one name', (q) => q.selectFrom(['plot', 'site as plot']).selectAll(), /two tables of a query are called "plot"/),
]
