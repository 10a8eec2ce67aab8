// What is gained by the records that are deleted along with another one.
import { expect } from 'chai'
import { not, rulebook, toOne } from 'pachter'
import { z } from 'zod'
import { found } from '../support/promotions.js'

const id = z.string()

describe('self-promotion by what a delete takes along', () => {
  it('proves nothing of what is deleted along with a record, where that may give more', async () => {
    /** A school: pupils are not graded while someone of their class is reported ill. */
    const school = (onDelete: 'delete' | 'refuse') =>
      rulebook({
        me: { shape: z.object({ id }), key: 'id' },
        records: {
          lesson: { shape: z.object({ id, teacherId: id, form: id }), key: 'id' },
          report: {
            shape: z.object({ id, lessonId: id, form: id }),
            key: 'id',
            links: { lesson: toOne('lesson', 'lessonId', { onDelete }) },
          },
          pupil: { shape: z.object({ id, teacherId: id, form: id, grade: z.number() }), key: 'id' },
        },
      }).rules({
        lesson: (lesson, { me, signedIn }) => ({
          may: { read: [signedIn], delete: [signedIn.provided(lesson.teacherId.is(me.id))] },
        }),
        report: (_report, { signedIn }) => ({ may: { read: [signedIn], delete: [] } }),
        pupil: (pupil, { me, signedIn, records }) => ({
          may: { read: [signedIn], update: [signedIn.provided(pupil.teacherId.is(me.id)).only('grade')] },
          vetoes: [{ actions: ['update'], provided: records('report').some((one) => one.form.is(pupil.form)), message: 'Someone is ill.' }],
        }),
      })
    expect(await found(school('delete'))).to.deep.equal(['delete lesson by several: update pupil, undecided'])
    expect(await found(school('refuse'))).to.deep.equal([])
    const accepting = school('delete').accepts({
      lesson: [{ write: 'delete', gains: { update: 'pupil' }, because: 'The reports of a lesson go with it.' }],
    })
    expect(await found(accepting)).to.deep.equal(['delete lesson by several: update pupil, accepted'])
  })

  it('is not overlooked where only one of several fields is gained', async () => {
    const school = rulebook({
      me: { shape: z.object({ id }), key: 'id' },
      records: {
        lesson: { shape: z.object({ id, teacherId: id }), key: 'id' },
        report: {
          shape: z.object({ id, lessonId: id, form: id }),
          key: 'id',
          links: { lesson: toOne('lesson', 'lessonId', { onDelete: 'follow' }) },
        },
        pupil: { shape: z.object({ id, name: z.string(), form: id, grade: z.number() }), key: 'id' },
      },
    }).rules({
      lesson: (lesson, { me, signedIn }) => ({ may: { read: [signedIn], delete: [signedIn.provided(lesson.teacherId.is(me.id))] } }),
      pupil: (pupil, { signedIn, records }) => ({
        may: {
          read: [signedIn.only('name'), signedIn.provided(not(records('report').some((one) => one.form.is(pupil.form)))).only('grade')],
        },
      }),
    })
    expect(await found(school)).to.deep.equal(['delete lesson by several: read pupil, undecided'])
  })
})
