// The compiler says: 'schoolId' is no field of school: leave that type out
import { rulebook } from 'pachter'
import { z } from 'zod'

const text = z.string()
const book = rulebook({
  me: { shape: z.object({ id: text, schoolId: text }), key: 'id' },
  records: {
    school: { shape: z.object({ id: text }), key: 'id' },
    room: { shape: z.object({ id: text, schoolId: text }), key: 'id' },
  },
})

export const fits = book.everyRecord(({ record, me }) => record.schoolId.is(me.schoolId), { except: ['school'] })
export const refused = book.everyRecord(({ record, me }) => record.schoolId.is(me.schoolId))
