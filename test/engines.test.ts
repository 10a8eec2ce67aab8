import { sql } from 'kysely'
import { rulebook } from 'pachter'
import { z } from 'zod'
import { engines, IS_PGLITE_LEFT_OUT, SERVERS } from './support/engines.js'

const nothing = rulebook({ me: { shape: z.object({ id: z.string() }), key: 'id' }, records: {} })

describe('the databases of these tests', () => {
  for (const { name, open } of engines)
    it(`${name} can be reached`, async () => {
      await sql`select 1`.execute(await open(nothing))
    })
  for (const [variable, { name, usual }] of Object.entries(SERVERS))
    if (!process.env[variable]) it(`${name} is left out; to include it: ${variable}=${usual} npm test`)
  if (IS_PGLITE_LEFT_OUT) it('PGlite is left out, since PostgreSQL is there; to include it: PACHTER_TEST_LONG=1 npm test')
})
