// The records of a store in memory are found by the values that a condition needs. The result has to be the one of looking at all records.
import { expect } from 'chai'
import fc from 'fast-check'
import { simplify } from 'pachter/condition'
import { inMemory } from 'pachter/store'
import { cases, held, keyed, NOW } from '../support/agreement.js'
import { condition, everyKind, record } from '../support/conditions.js'
import { tries } from '../support/tries.js'

it('a store in memory finds the records that fit a condition, all of them and no others', async () => {
  let found = 0
  const [, claims] = cases
  const rows = fc.array(record, { minLength: 25, maxLength: 40 })
  await fc.assert(
    fc.asyncProperty(fc.array(condition, { minLength: 12, maxLength: 12 }), claims, rows, async (nodes, me, unkeyed) => {
      const things = keyed(unkeyed)
      const tables = inMemory({ thing: things })(everyKind.model)
      for (const node of nodes) {
        const where = simplify(node, me)
        const keys = (await tables.select('thing', { where, now: NOW })).map(({ row }) => row.id)
        expect(keys, JSON.stringify(where)).to.have.members(held(things, node, me))
        expect(await tables.count('thing', { where, now: NOW })).to.equal(keys.length)
        found += keys.length
      }
    }),
    { numRuns: tries(80, 250) },
  )
  expect(found).to.be.greaterThan(1000)
})

it('and those that are there after a write', async () => {
  const things = keyed(fc.sample(record, 60)).map((row) => ({ ...row, textA: 'here' }))
  const tables = inMemory({ thing: things })(everyKind.model)
  const where = simplify(
    {
      kind: 'compare',
      by: 'is',
      left: { kind: 'field', of: 'record', path: ['textA'], type: 'text' },
      right: { kind: 'literal', type: 'text', value: 'here' },
    },
    null,
  )
  const count = () => tables.count('thing', { where, now: NOW })
  for (let round = 0; round < 8; round++) expect(await count()).to.equal(60)
  await tables.transaction(async (inside) => {
    await inside.update('thing', { textA: 'gone' }, { key: 't-7', where: { kind: 'constant', value: true }, now: NOW })
    await inside.remove('thing', { key: 't-8', where: { kind: 'constant', value: true }, now: NOW })
    for (let round = 0; round < 8; round++) expect(await inside.count('thing', { where, now: NOW })).to.equal(58)
    expect(await count()).to.equal(60)
  })
  for (let round = 0; round < 8; round++) expect(await count()).to.equal(58)
})
