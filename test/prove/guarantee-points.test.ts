// Fine points of guarantees: records as they become, what is missing, and stamps.
import { expect } from 'chai'
import { not, now, rulebook, toOne } from 'pachter'
import { type Judged, judgeGuarantees } from 'pachter/internal/prove'
import { z } from 'zod'

const id = z.string()

/** What is found out about guarantees, by their titles. */
function judged(book: { readonly model: Parameters<typeof judgeGuarantees>[0] }): { [title: string]: Judged } {
  return Object.fromEntries([...judgeGuarantees(book.model)].map(({ guarantee, judged }) => [guarantee.title, judged]))
}

describe('guarantees of stamps', () => {
  it('know the day and the time that the server sets', () => {
    const days = rulebook({
      me: { shape: z.object({ id }), key: 'id', timeZone: 'Europe/Berlin' },
      records: { note: { shape: z.object({ id, day: z.iso.date(), at: z.date() }), key: 'id', days: ['day'] } },
    })
      .rules({
        note: (_note, { signedIn, today }) => ({
          may: { read: [signedIn], create: [signedIn] },
          stamps: { create: { day: today, at: now } },
        }),
      })
      .guarantees({
        note: (note, { today }) => [
          { never: 'create', provided: note.day.isBefore(today), titled: 'no day before today' },
          { never: 'create', provided: note.at.isBefore(now), titled: 'no time before now' },
          { never: 'create', provided: note.at.isAtMost(now), titled: 'no time at all' },
        ],
      })
    const outcomes = Object.entries(judged(days)).map(([title, { outcome }]) => [title, outcome])
    expect(Object.fromEntries(outcomes)).to.deep.equal({
      'no day before today': 'proved',
      'no time before now': 'proved',
      'no time at all': 'refuted',
    })
  })
})

describe('guarantees of fine points', () => {
  /** Doors, which are locked and given away. */
  const doors = rulebook({
    me: { shape: z.object({ id }), key: 'id', links: { guard: toOne('guard', 'id') } },
    records: {
      guard: { shape: z.object({ id, isAsleep: z.boolean() }), key: 'id' },
      door: { shape: z.object({ id, ownerId: id, isLocked: z.boolean(), colour: z.string() }), key: 'id' },
    },
  })
    .standings({ door: (door, { me }) => ({ owner: door.ownerId.is(me.id) }) })
    .rules({
      door: (door, { standing: { owner }, signedIn, me }) => ({
        may: {
          read: [owner, signedIn.provided(not(me.guard.isAsleep.orElse(false).is(true)))],
          update: [owner.only('isLocked', 'colour'), owner.only('ownerId').afterwards(signedIn)],
        },
        vetoes: [{ actions: ['update'], provided: door.isLocked.is(true), message: 'It is locked.' }],
      }),
    })
    .guarantees({
      door: (door, { standing: { owner }, me, after }) => [
        { never: 'update', provided: door.isLocked.is(true), titled: 'a locked door stays as it is' },
        { never: 'update', fields: ['isLocked'], provided: door.isLocked.is(true), titled: 'nobody unlocks' },
        { never: 'update', fields: ['isLocked'], provided: after.isLocked.is(true), titled: 'nobody locks' },
        { never: 'update', fields: ['colour'], provided: not(after.ownerId.is(me.id)), titled: 'paint and give away at once' },
        { never: 'update', fields: ['ownerId'], provided: not(after.ownerId.is(me.id)), titled: 'nobody gives a door away' },
        { never: 'read', unless: owner.or(me.guard.isAsleep.isPresent()), titled: 'only guards see the doors of others' },
        { never: 'read', unless: owner.or(me.guard.isAsleep.orElse(false).is(false)), titled: 'sleeping guards see only their own' },
      ],
    })
  const expected: { readonly [title: string]: Judged['outcome'] } = {
    'a locked door stays as it is': 'proved',
    'nobody unlocks': 'proved',
    'nobody locks': 'refuted',
    'paint and give away at once': 'proved',
    'nobody gives a door away': 'refuted',
    'only guards see the doors of others': 'refuted',
    'sleeping guards see only their own': 'proved',
  }
  it('are judged by the record as it is and as it becomes, and by what is missing', () => {
    const outcomes = Object.fromEntries(Object.entries(judged(doors)).map(([title, { outcome }]) => [title, outcome]))
    expect(outcomes).to.deep.equal(expected)
  })
})
