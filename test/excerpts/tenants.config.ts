// What docs/commands.md shows of people who sign in for one of several clubs.
import { rulebook } from 'pachter'
import { configure } from 'pachter-cli'
import { z } from 'zod'

const id = z.string()
const book = rulebook({
  me: { shape: z.object({ id, clubId: id }), key: 'id' },
  records: {
    rower: { shape: z.object({ id, nick: z.string() }), key: 'id' },
    seat: { shape: z.object({ id, rowerId: id, clubId: id }), key: 'id' },
    boat: { shape: z.object({ id, clubId: id }), key: 'id' },
  },
}).rules({ boat: (boat, { me, anyone }) => ({ may: { read: [anyone.provided(boat.clubId.is(me.clubId))] } }) })

export default configure({
  rulebook: book,
  people: {},
  personOf: {
    type: 'rower',
    with: ['seat'],
    claims: (rower, { seat }) => seat.filter((one) => one.rowerId === rower.id).map(({ clubId }) => ({ id: rower.id, clubId })),
  },
})
