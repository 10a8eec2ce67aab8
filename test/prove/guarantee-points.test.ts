// Fine points of guarantees: records as they become, what is missing, and stamps.
import { expect } from 'chai'
import { allOf, not, now, rulebook, toMany, toOne } from 'pachter'
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

describe('guarantees of times held as text', () => {
  const judge = (at: z.ZodType<string>) => {
    const notes = rulebook({
      me: { shape: z.object({ id }), key: 'id' },
      records: { note: { shape: z.object({ id, at }), key: 'id', times: ['at'] } },
    })
      .rules({ note: (_note, { signedIn }) => ({ may: { read: [signedIn] } }) })
      .guarantees({
        note: (note) => [
          { never: 'read', provided: allOf(not(note.at.isBefore(now)), not(note.at.isAfter(now)), not(note.at.is(now))), titled: 'a time' },
        ],
      })
    return judged(notes)['a time']?.outcome
  }

  it('count on a time only where the shape accepts nothing else', () => {
    expect(judge(z.iso.datetime())).to.equal('proved')
    expect(judge(z.string())).to.equal('refuted')
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

describe('guarantees that only several records break', () => {
  /** A fleet: boats are lent to crews, by their keys, by lists of keys, and by addresses. */
  const fleet = rulebook({
    me: { shape: z.object({ id, ranks: z.array(z.enum(['mate', 'cook'])) }), key: 'id' },
    records: {
      sailor: { shape: z.object({ id, ranks: z.array(z.enum(['mate', 'cook'])), age: z.int() }), key: 'id' },
      box: { shape: z.object({ address: z.string(), size: z.int() }), key: 'address' },
      loan: { shape: z.object({ id, boatId: id, level: z.string() }), key: 'id', links: { boat: toOne('boat', 'boatId') } },
      boat: {
        shape: z.object({ id, mail: z.string(), sailorIds: z.array(id), ranks: z.array(z.enum(['mate', 'cook'])) }),
        key: 'id',
        links: {
          loans: toMany('loan', 'boatId'),
          sailors: toMany('sailor', { id: 'sailorIds' }),
          boxes: toMany('box', { address: 'mail' }, { ignoringCase: true }),
        },
      },
    },
  })
    .rules({ boat: (_boat, { signedIn }) => ({ may: { read: [signedIn] } }) })
    .guarantees({
      boat: (boat, { me }) => {
        const lent = (level: string) => boat.loans.some((loan) => loan.level.is(level))
        const none = not(me.ranks.has('mate')).and(not(me.ranks.has('cook')))
        return [
          { never: 'read', provided: allOf(lent('look'), lent('sail')), titled: 'two loans' },
          { never: 'read', provided: allOf(lent('look'), lent('sail'), lent('own')), titled: 'three loans' },
          { never: 'read', provided: boat.loans.atLeast(3, (loan) => loan.level.is('own')), titled: 'three alike' },
          {
            never: 'read',
            provided: allOf(
              boat.sailors.some((one) => one.age.is(20)),
              boat.sailors.some((one) => one.age.is(30)),
            ),
            titled: 'two sailors of a list',
          },
          {
            never: 'read',
            provided: allOf(
              boat.boxes.some((one) => one.size.is(1)),
              boat.boxes.some((one) => one.size.is(2)),
            ),
            titled: 'two addresses alike',
          },
          { never: 'read', provided: allOf(boat.ranks.overlaps(me.ranks), none), titled: 'a rank in common that I do not have' },
        ]
      },
    })

  it('are refuted with as many as it takes', () => {
    const outcomes = Object.fromEntries(Object.entries(judged(fleet)).map(([title, { outcome }]) => [title, outcome]))
    expect(outcomes).to.deep.equal({
      'two loans': 'refuted',
      'three loans': 'refuted',
      'three alike': 'refuted',
      'two sailors of a list': 'refuted',
      // Not proved, which is what counts: an example has no two texts that are alike but for their case.
      'two addresses alike': 'undecided',
      'a rank in common that I do not have': 'proved',
    })
  })
})
