// How many linked records there are: in lists, in writes at the same time, and in words.
import { expect } from 'chai'
import { rulebook, toMany, toOne } from 'pachter'
import { absorbed, anyOfNode, describe as described } from 'pachter/internal/condition'
import { rulebookFromJson, rulebookToJson } from 'pachter/json'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'
import { codeOf, fill } from '../support/filling.js'

const id = z.string()
const shapes = {
  me: z.object({ id }),
  records: {
    student: z.object({ id, name: z.string() }),
    loan: z.object({ id, studentId: id, status: z.enum(['open', 'returned']) }),
    piece: z.object({ id, partOfId: id.nullable() }),
  },
}
const begun = rulebook({
  me: { shape: shapes.me, key: 'id' },
  records: {
    student: { shape: shapes.records.student, key: 'id', links: { loans: toMany('loan', 'studentId') } },
    loan: { shape: shapes.records.loan, key: 'id', links: { student: toOne('student', 'studentId') } },
    piece: { shape: shapes.records.piece, key: 'id', links: { partOf: toOne('piece', 'partOfId', { target: 'any' }) } },
  },
})
const book = begun.rules({
  student: (student, { anyone }) => ({
    may: {
      read: [
        anyone.provided(student.loans.atLeast(2, (loan) => loan.status.is('open'))),
        anyone.provided(student.loans.atMost(0)),
        anyone.provided(student.name.is('DAN')),
      ],
    },
  }),
  loan: (loan, { anyone, signedIn }) => ({
    may: {
      read: [signedIn],
      create: [
        anyone
          .provided(
            loan.student.isPresent(),
            loan.student.loans.atMost(2, (other) => other.status.is('open')),
          )
          .overriding('id'),
      ],
      // Somebody keeps at least one.
      delete: [anyone.provided(loan.student.loans.atLeast(2))],
    },
  }),
  piece: (piece, { anyone }) => ({ may: { read: [anyone.provided(piece.ancestors('partOf').atLeast(2))] } }),
})

const data = {
  student: ['ann', 'ben', 'cleo', 'dan'].map((key) => ({ id: key, name: key.toUpperCase() })),
  loan: [
    { id: 'a1', studentId: 'ann', status: 'open' },
    { id: 'a2', studentId: 'ann', status: 'open' },
    { id: 'a3', studentId: 'ann', status: 'returned' },
    { id: 'b1', studentId: 'ben', status: 'open' },
    { id: 'b2', studentId: 'ben', status: 'returned' },
    // Another student, if letter case is ignored.
    { id: 'c1', studentId: 'BEN', status: 'open' },
  ],
  piece: [
    { id: 'p1', partOfId: null },
    { id: 'p2', partOfId: 'p1' },
    { id: 'p3', partOfId: 'p2' },
    { id: 'p4', partOfId: 'p3' },
    // In a ring of two, each is above the other once.
    { id: 'r1', partOfId: 'r2' },
    { id: 'r2', partOfId: 'r1' },
  ],
} as const

for (const [where, open] of Object.entries(backends(book))) {
  describe(`counts of linked records, ${where}`, () => {
    const filled = async () => {
      const store = openStore(book, await open())
      await fill(store, data)
      return store
    }

    it('decide lists', async () => {
      const store = await filled()
      const mine = store.for({ id: 'me' })
      expect((await mine.list('student')).map((student) => student.id)).to.have.members(['ann', 'cleo', 'dan'])
      expect((await mine.list('piece')).map((piece) => piece.id)).to.have.members(['p3', 'p4'])
      // A filter of one's own counts what one sees.
      const many = await mine.list('student', { where: (student) => student.loans.atLeast(3) })
      expect(many.map((student) => student.id)).to.deep.equal(['ann'])
    })

    it('hold when many write at the same time', async () => {
      const store = await filled()
      const lend = (key: string) => codeOf(store.for({ id: 'me' }).create('loan', { id: key, studentId: 'dan', status: 'open' }))
      const outcomes = await Promise.all(Array.from({ length: 12 }, (_, at) => lend(`d${at}`)))
      const open = (await store.asSystem('look').list('loan')).filter(({ studentId }) => studentId === 'dan')
      expect(open).to.have.length.within(1, 3)
      expect(outcomes.filter((one) => one === 'done')).to.have.length(open.length)
      // Those that found no turn may come again, until there are three.
      for (let at = 0; at < 3; at++) await lend(`e${at}`)
      expect((await store.asSystem('look').list('loan')).filter(({ studentId }) => studentId === 'dan')).to.have.length(3)
    })

    it('hold when many delete at the same time', async () => {
      const store = await filled()
      const mine = store.for({ id: 'me' })
      const remove = (key: string) => mine.delete('loan', key).catch((error: unknown) => error)
      await Promise.all(['a1', 'a2', 'a3', 'b1', 'b2'].map(remove))
      for (const key of ['a1', 'a2', 'a3', 'b1', 'b2']) await remove(key)
      const left = (await store.asSystem('look').list('loan')).map(({ studentId }) => studentId)
      expect(left).to.have.members(['ann', 'ben', 'BEN'])
    })
  })
}

describe('a count of linked records', () => {
  it('means the same from JSON', () => {
    const json = rulebookToJson(book)
    const again = rulebookFromJson(json, shapes)
    expect(rulebookToJson(again)).to.deep.equal(json)
    const seen = (of: typeof book) => of.for({ id: 'me' }, { records: data as never }).filter('student', data.student)
    expect(seen(again as unknown as typeof book)).to.deep.equal(seen(book))
  })

  it('is said in words', () => {
    const words = Object.values(book.model.types).flatMap(({ rules }) =>
      Object.values(rules?.may ?? {}).flatMap((clauses) => clauses.map(({ when }) => described(when, { record: 'the record' }))),
    )
    expect(words.join('\n')).to.include('for at least 2 of the record\'s loans: that loan\'s status is "open"')
    expect(words.join('\n')).to.include("not (there is one of the record's loans)")
    expect(words.join('\n')).to.include("for at most 2 of the record's student's loans: that loan's status is \"open\"")
    expect(words.join('\n')).to.include('there are at least 2 of the pieces above the record')
  })

  it('tells why, with the number that matches', () => {
    const [, ben] = data.student
    const { clauses } = book.for({ id: 'me' }, { records: data as never }).why('read', 'student', ben as never)
    const counted = clauses.map((clause) => JSON.stringify(clause.trace)).join()
    expect(counted).to.include('"matching":1')
  })

  it('of more says that of fewer', () => {
    const [two, three] = [2, 3].map((least) => {
      const { model } = begun.rules({
        student: (student, { anyone }) => ({ may: { read: [anyone.provided(student.loans.atLeast(least))] } }),
      })
      return model.types.student?.rules?.may.read[0]?.provided[0]
    })
    expect(absorbed(anyOfNode([three, two] as never))).to.equal(two)
  })

  for (const [problem, count] of [
    ['a number below one', 0],
    ['a number that is not whole', 1.5],
    ['too large a number', 1e9],
    ['a text', '2'],
  ] as const)
    it(`refuses ${problem}`, () => {
      const build = () =>
        begun.rules({ student: (student, { anyone }) => ({ may: { read: [anyone.provided(student.loans.atLeast(count as number))] } }) })
      expect(build).to.throw('student.loans.atLeast(...) needs a whole number from 1 on')
    })

  it('of nobody refuses a rule that a missing record would widen', () => {
    const build = () => begun.rules({ loan: (loan, { anyone }) => ({ may: { create: [anyone.provided(loan.student.loans.atMost(2))] } }) })
    expect(build).to.throw('loan.student')
  })
})
