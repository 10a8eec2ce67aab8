// Chains of records whose keys have several fields: departments of tenants, which have the same numbers.
import { expect } from 'chai'
import fc from 'fast-check'
import { rulebook, toOne } from 'pachter'
import { rulebookFromJson, rulebookToJson } from 'pachter/json'
import { accessMatrix } from 'pachter/review'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { backends, runsIn } from '../support/backends.js'
import { fill } from '../support/filling.js'
import { tries } from '../support/tries.js'

const id = z.string()
const shapes = {
  me: z.object({ id }),
  records: {
    department: z.object({ tenantId: id, number: z.int(), parentNumber: z.int().nullable(), headId: id, isOpen: z.boolean() }),
    room: z.object({ id, tenantId: id, departmentNumber: z.int() }),
    desk: z.object({ id, tenantId: id, departmentNumber: z.int() }),
  },
}
const book = rulebook({
  me: { shape: shapes.me, key: 'id' },
  records: {
    department: {
      shape: shapes.records.department,
      key: ['tenantId', 'number'],
      links: { parent: toOne('department', { tenantId: 'tenantId', number: 'parentNumber' }) },
    },
    room: {
      shape: shapes.records.room,
      key: 'id',
      links: { department: toOne('department', { tenantId: 'tenantId', number: 'departmentNumber' }) },
    },
    desk: {
      shape: shapes.records.desk,
      key: 'id',
      links: { department: toOne('department', { tenantId: 'tenantId', number: 'departmentNumber' }) },
    },
  },
}).rules({
  department: (department, { me, anyone }) => ({
    may: {
      read: [anyone],
      update: [anyone.provided(department.ancestors('parent').some((one) => one.headId.is(me.id)))],
    },
  }),
  room: (room, { me, anyone }) => ({
    may: { read: [anyone.provided(room.department.ancestors('parent').some((one) => one.headId.is(me.id)))] },
  }),
  desk: (desk, { anyone }) => ({
    may: { read: [anyone.provided(desk.department.ancestors('parent').atLeast(2, (one) => one.isOpen.is(true)))] },
  }),
})

interface Department {
  readonly tenantId: string
  readonly number: number
  readonly parentNumber: number | null
  readonly headId: string
  readonly isOpen: boolean
}
const NUMBERS = [1, 2, 3, 4]
const all = fc
  .tuple(
    ...['north', 'south'].flatMap((tenantId) =>
      NUMBERS.map((number) =>
        fc.record({
          tenantId: fc.constant(tenantId),
          number: fc.constant(number),
          parentNumber: fc.option(fc.constantFrom(...NUMBERS, 9)),
          headId: fc.constantFrom('ada', 'bo', 'cy'),
          isOpen: fc.boolean(),
        }),
      ),
    ),
  )
  .map((departments): readonly Department[] => departments)

/** Those above one, without itself. */
function above(departments: readonly Department[], start: Department): readonly Department[] {
  const found: Department[] = []
  const parentOf = ({ tenantId, parentNumber }: Department) =>
    departments.find((one) => one.tenantId === tenantId && one.number === parentNumber)
  for (let one = parentOf(start); one !== undefined && one !== start && !found.includes(one); one = parentOf(one)) found.push(one)
  return found
}

const keyOf = ({ tenantId, number }: Department) => `${tenantId}~${number}`
const rooms = (departments: readonly Department[]) =>
  departments.map((one) => ({ id: keyOf(one), tenantId: one.tenantId, departmentNumber: one.number }))

for (const [where, open] of Object.entries(backends(book)))
  it(`chains of keys of several fields find the records above, and no others: ${where}`, async () => {
    await fc.assert(
      fc.asyncProperty(all, async (departments) => {
        const store = openStore(book, await open())
        await fill(store, { department: departments, room: rooms(departments), desk: rooms(departments) })
        const mine = store.for({ id: 'ada' })
        const led = (one: Department) => above(departments, one).some(({ headId }) => headId === 'ada')
        const under = (one: Department) => above(departments, one).filter(({ isOpen }) => isOpen).length >= 2
        for (const one of departments.slice(0, 3)) {
          expect((await mine.verdict('update', 'department', keyOf(one) as never)).allowed).to.equal(led(one))
          expect((await mine.verdict('read', 'desk', keyOf(one))).allowed).to.equal(under(one))
        }
        const desks = (await mine.list('desk')).map((one) => one.id).sort()
        expect(desks).to.deep.equal(departments.filter(under).map(keyOf).sort())
        const listed = (await mine.list('room')).map((one) => one.id).sort()
        expect(listed).to.deep.equal(departments.filter(led).map(keyOf).sort())
      }),
      { numRuns: runsIn(where, tries(10, 300)) },
    )
  })

it('the access matrix agrees', () => {
  fc.assert(
    fc.property(all, (departments) => {
      const people = { ada: { id: 'ada' }, bo: { id: 'bo' } }
      const matrix = accessMatrix(book, 'department', { people, records: { department: departments, room: rooms(departments) } as never })
      for (const person of ['ada', 'bo'])
        for (const one of departments)
          expect(matrix.allows(person, keyOf(one), 'update')).to.equal(above(departments, one).some(({ headId }) => headId === person))
    }),
    { numRuns: tries(25, 600) },
  )
})

it('they are the same from JSON, which has to name the whole key', () => {
  const json = JSON.parse(JSON.stringify(rulebookToJson(book)))
  expect(rulebookToJson(rulebookFromJson(json, shapes))).to.deep.equal(json)
  const chain = (json.types.department.rules.may.update[0].provided ?? [])[0] ?? json.types.department.rules.may.update[0].when
  expect(chain.over.keys).to.have.length(2)
  chain.over.keys.pop()
  expect(() => rulebookFromJson(json, shapes)).to.throw(/a chain needs the key of department/)
})
