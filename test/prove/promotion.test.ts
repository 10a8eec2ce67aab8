// Rulebooks in which one permitted write gives its writer more, and the same ones mended.
import { expect } from 'chai'
import { allOf, anyOf, forever, not, now, RulebookError, rulebook, toMany, toOne } from 'pachter'
import { rulebookToJson } from 'pachter/json'
import { idleAcceptances, type Promotion, selfPromotions } from 'pachter/prove'
import { z } from 'zod'
import { found } from '../support/promotions.js'

const id = z.string()

/** A harbour: boats with keys that are lent, people with roles in a crew, logs of voyages, and seals that close a boat. */
const harbour = rulebook({
  me: { shape: z.object({ id }), key: 'id', links: { sailor: toOne('sailor', 'id') }, roles: (me) => me.sailor.roles },
  records: {
    sailor: { shape: z.object({ id, roles: z.array(z.enum(['master', 'purser'])), crewId: id.nullable(), phone: z.string() }), key: 'id' },
    boat: {
      shape: z.object({ id, ownerId: id.nullable(), crewId: id.nullable(), name: z.string(), value: z.number().nullable() }),
      key: 'id',
      links: { loans: toMany('loan', 'boatId'), seals: toMany('seal', 'boatId') },
    },
    loan: {
      shape: z.object({ id, boatId: id, sailorId: id, giverId: id, until: z.date().nullable() }),
      key: 'id',
      links: { boat: toOne('boat', 'boatId') },
    },
    seal: { shape: z.object({ id, boatId: id, setBy: id }), key: 'id', links: { boat: toOne('boat', 'boatId') } },
    voyage: {
      shape: z.object({ id, boatId: id, helmId: id, parentId: id.nullable() }),
      key: 'id',
      links: { boat: toOne('boat', 'boatId'), parent: toOne('voyage', 'parentId') },
    },
  },
}).standings({
  boat: (boat, { me }) => ({
    owner: boat.ownerId.is(me.id),
    borrower: boat.loans.some((loan) => allOf(loan.sailorId.is(me.id), loan.until.orElse(forever).isAfter(now))),
    crew: boat.crewId.is(me.sailor.crewId),
  }),
  loan: (loan, { me }) => ({ giver: loan.giverId.is(me.id) }),
  seal: (seal, { me }) => ({ setter: seal.setBy.is(me.id) }),
  voyage: (voyage, { me }) => ({ helm: voyage.helmId.is(me.id) }),
  sailor: (sailor, { me }) => ({ oneself: sailor.id.is(me.id) }),
})

/** Its boats are read by those who own, borrow or sail them. */
const reading = harbour.rules({
  boat: (_boat, { standing: { owner, borrower, crew } }) => ({ may: { read: [owner, borrower, crew] } }),
})

/** A fleet that lists its loans: none of them can be one that is new. */
const listed = rulebook({
  me: { shape: z.object({ id }), key: 'id' },
  records: {
    loan: { shape: z.object({ id, giverId: id }), key: 'id' },
    fleet: { shape: z.object({ id, loanIds: z.array(id) }), key: 'id', links: { loans: toMany('loan', { id: 'loanIds' }) } },
  },
}).rules({
  loan: (_loan, { signedIn, me }) => ({ may: { create: [signedIn] }, stamps: { create: { giverId: me.id } } }),
  fleet: (fleet, { me, signedIn }) => ({ may: { read: [signedIn.provided(fleet.loans.some((loan) => loan.giverId.is(me.id)))] } }),
})

const CASES: readonly {
  readonly title: string
  readonly book: { readonly model: Parameters<typeof selfPromotions>[0] }
  readonly found: readonly string[]
}[] = [
  {
    title: 'a loan to oneself',
    book: reading.rules({
      loan: (_loan, { standing: { giver }, me }) => ({ may: { read: [giver], create: [giver] }, stamps: { create: { giverId: me.id } } }),
    }),
    // They need not see the boat, because a link without rules of its own is set to what one sees.
    found: [],
  },
  {
    title: 'a loan to oneself, of a boat of which one sees the name',
    book: harbour.rules({
      boat: (_boat, { standing: { owner, borrower }, signedIn }) => ({ may: { read: [owner, borrower, signedIn.only('name')] } }),
      loan: (_loan, { standing: { giver }, me }) => ({ may: { read: [giver], create: [giver] }, stamps: { create: { giverId: me.id } } }),
    }),
    found: ['create loan by giver: read boat'],
  },
  {
    title: 'a loan by the owner',
    book: harbour.rules({
      boat: (_boat, { standing: { owner, borrower }, signedIn }) => ({ may: { read: [owner, borrower, signedIn.only('name')] } }),
      loan: (loan, { standing: { giver }, me }) => ({
        may: { read: [giver], create: [giver.provided(loan.boat.standing.owner)] },
        stamps: { create: { giverId: me.id } },
      }),
    }),
    found: [],
  },
  {
    title: 'a lapsed loan to oneself, prolonged after the boat is sold',
    book: reading.rules({
      loan: (_loan, { standing: { giver } }) => ({ may: { read: [giver], update: [giver.only('until')] } }),
    }),
    found: ['update loan by giver; only until: read boat'],
  },
  {
    title: 'a loan prolonged by who owns the boat',
    book: reading.rules({
      loan: (loan, { standing: { giver } }) => ({
        may: { read: [giver], update: [giver.provided(loan.boat.standing.owner).only('until')] },
      }),
    }),
    found: [],
  },
  {
    title: "one's own roles",
    book: harbour.rules({
      sailor: (_sailor, { standing: { oneself } }) => ({ may: { read: [oneself], update: [oneself.only('roles', 'phone')] } }),
      voyage: (_voyage, { standing: { helm }, role }) => ({ may: { read: [helm, role('master')], delete: [role('master')] } }),
    }),
    found: ['update sailor by oneself; only roles, phone: read voyage', 'update sailor by oneself; only roles, phone: delete voyage'],
  },
  {
    title: "one's own phone",
    book: harbour.rules({
      sailor: (_sailor, { standing: { oneself } }) => ({ may: { read: [oneself], update: [oneself.only('phone')] } }),
      voyage: (_voyage, { standing: { helm }, role }) => ({ may: { read: [helm, role('master')], delete: [role('master')] } }),
    }),
    found: [],
  },
  {
    title: "one's own crew, and a sailor who appears with one's id",
    book: reading.rules({
      sailor: (_sailor, { standing: { oneself }, signedIn }) => ({
        may: { read: [oneself], create: [signedIn.overriding('id')], update: [oneself.only('crewId')] },
      }),
    }),
    found: ['create sailor by signed in; overriding id: read boat', 'update sailor by oneself; only crewId: read boat'],
  },
  {
    title: 'a voyage moved to another boat, whose log then shows more',
    book: harbour.rules({
      boat: (boat, { standing: { owner }, records, me, signedIn }) => ({
        may: {
          read: [
            owner,
            signedIn.provided(records('voyage').some((one) => allOf(one.boatId.is(boat.id), one.helmId.is(me.id)))),
            signedIn.only('name'),
          ],
        },
      }),
      voyage: (_voyage, { standing: { helm } }) => ({ may: { read: [helm], update: [helm.only('boatId')] } }),
    }),
    found: ['update voyage by helm; only boatId: read boat'],
  },
  {
    title: 'a seal that is taken away, and keeps others from changing the boat',
    book: harbour.rules({
      boat: (boat, { standing: { owner, crew } }) => ({
        may: { read: [owner, crew], update: [owner.only('name')] },
        vetoes: [{ actions: ['update'], provided: boat.seals.some((seal) => seal.setBy.isPresent()), message: 'The boat is sealed.' }],
      }),
      seal: (_seal, { standing: { setter } }) => ({ may: { read: [setter], delete: [setter] } }),
    }),
    found: ['delete seal by setter: update boat'],
  },
  {
    title: 'the only loan of a boat, to oneself',
    book: harbour.rules({
      boat: (boat, { standing: { owner, borrower }, signedIn }) => ({
        may: { read: [owner, borrower.provided(boat.loans.atMost(1, (one) => one.giverId.isPresent())), signedIn.only('name')] },
      }),
      loan: (_loan, { standing: { giver }, me }) => ({ may: { read: [giver], create: [giver] }, stamps: { create: { giverId: me.id } } }),
    }),
    found: ['create loan by giver: read boat'],
  },
  {
    title: 'the loss of a loan that is needed too',
    book: harbour.rules({
      boat: (boat, { standing: { borrower } }) => ({
        may: { read: [borrower.provided(not(boat.loans.some((one) => one.giverId.isPresent())))] },
      }),
      loan: (_loan, { standing: { giver } }) => ({ may: { read: [giver], delete: [giver] } }),
    }),
    found: [],
  },
  {
    title: 'a loan that stands against it as before',
    book: harbour.rules({
      boat: (boat, { signedIn }) => ({
        // Whatever the loan becomes, it is one.
        may: { read: [signedIn.provided(not(boat.loans.some((one) => anyOf(one.until.isPresent(), one.until.isMissing()))))] },
      }),
      loan: (_loan, { standing: { giver } }) => ({ may: { read: [giver], update: [giver.only('sailorId', 'until')] } }),
    }),
    found: [],
  },
  {
    title: 'a loan against it that is taken away',
    book: harbour.rules({
      boat: (boat, { signedIn }) => ({ may: { read: [signedIn.provided(not(boat.loans.some((one) => one.giverId.isPresent())))] } }),
      loan: (_loan, { standing: { giver } }) => ({ may: { read: [giver], update: [giver.only('boatId')], delete: [giver] } }),
    }),
    found: ['update loan by giver; only boatId: read boat', 'delete loan by giver: read boat'],
  },
  {
    title: 'several clauses together',
    book: reading.rules({
      loan: (_loan, { standing: { giver }, role }) => ({
        may: { read: [giver, role('purser')], update: [giver.only('sailorId'), role('purser').only('until')] },
      }),
    }),
    found: ['update loan by giver; only sailorId: read boat', 'update loan by role purser; only until: read boat'],
  },
  {
    // What the server stamps need not be seen: here it is a boat of one's own crew.
    title: 'a loan of a boat that the server chooses',
    book: harbour.rules({
      boat: (_boat, { standing: { owner, borrower } }) => ({ may: { read: [owner, borrower] } }),
      loan: (_loan, { standing: { giver }, me }) => ({
        may: { read: [giver], create: [giver] },
        stamps: { create: { giverId: me.id, boatId: me.sailor.crewId } },
      }),
    }),
    found: ['create loan by giver: read boat'],
  },
  {
    title: 'a loan whose key is in the list of a fleet',
    book: listed,
    found: [],
  },
]

describe('self-promotion', () => {
  for (const { title, book, found: expected } of CASES)
    it(`${expected.length > 0 ? 'finds' : 'proves that nobody gains by'} ${title}`, async () => {
      expect(await found(book)).to.have.members(expected)
    })

  it('says nothing of the record that is written itself, nor of what everyone may do anyway', async () => {
    const book = harbour.rules({
      boat: (_boat, { signedIn, standing: { owner } }) => ({ may: { read: [owner], create: [signedIn], update: [owner] } }),
      voyage: (_voyage, { anyone }) => ({ may: { read: [anyone] } }),
    })
    expect(await found(book)).to.deep.equal([])
  })

  it('follows chains of records, whose ends a write can move', async () => {
    const chain = (field: 'parentId' | 'boatId') =>
      harbour.rules({
        voyage: (voyage, { standing: { helm }, me, signedIn }) => ({
          may: {
            read: [helm, signedIn.only('parentId'), signedIn.provided(voyage.ancestors('parent').some((one) => one.helmId.is(me.id)))],
            update: [signedIn.only(field)],
          },
        }),
      })
    expect(await found(chain('parentId'))).to.deep.equal(['update voyage by signed in; only parentId: read voyage'])
    expect(await found(chain('boatId'))).to.deep.equal([])
  })

  it('accepts what the rulebook accepts, and nothing more', async () => {
    const book = reading.rules({
      loan: (_loan, { standing: { giver } }) => ({ may: { read: [giver], update: [giver.only('until', 'sailorId')] } }),
    })
    const accepting = (gains: 'everything' | { readonly read: 'boat' } | { readonly delete: 'boat' }, by = 'giver') =>
      book.accepts({ loan: [{ write: 'update', by, gains, because: 'It is a small harbour.' }] })
    const all = 'update loan by giver; only until, sailorId: read boat'
    expect(await found(book)).to.deep.equal([all])
    expect(await found(accepting({ read: 'boat' }))).to.deep.equal([`${all}, accepted`])
    expect(await found(accepting('everything', 'giver; only until, sailorId'))).to.deep.equal([`${all}, accepted`])
    const other = accepting({ delete: 'boat' })
    expect(await found(other)).to.deep.equal([all])
    expect(idleAcceptances(other.model, []).map(({ type }) => type)).to.deep.equal(['loan'])
    const used = accepting({ read: 'boat' })
    const promotions: Promotion[] = []
    for await (const asked of selfPromotions(used.model)) promotions.push(...asked.found)
    expect(idleAcceptances(used.model, promotions)).to.deep.equal([])
  })

  it('refuses an acceptance of what there is not, and of no reason', () => {
    const book = reading
    const one = { write: 'update', gains: { read: 'boat' }, because: 'x' } as const
    const cases: readonly [object, string][] = [
      [{ boot: [one] }, 'Did you mean "boat"?'],
      [{ boat: one }, 'must be a list'],
      [{ boat: [{ ...one, write: 'read' }] }, 'there is no write "read"'],
      [{ boat: [{ ...one, by: 'owner' }] }, 'there is no clause of update "owner"'],
      [{ boat: [{ ...one, gains: { read: 'boats' } }] }, 'Did you mean "boat"?'],
      [{ boat: [{ ...one, gains: { raed: 'boat' } }] }, 'Did you mean "read"?'],
      [{ boat: [{ ...one, gains: {} }] }, 'say what is gained'],
      [{ boat: [{ ...one, because: ' ' }] }, 'say why this is right'],
      [{ boat: [{ ...one, beside: 1 }] }, 'beside'],
    ]
    for (const [given, message] of cases) expect(() => book.accepts(given as never), JSON.stringify(given)).to.throw(RulebookError, message)
    // Nothing is decided by it, and the JSON form does not have it.
    const accepting = book.accepts({ boat: [{ ...one }] })
    expect(rulebookToJson(accepting)).to.deep.equal(rulebookToJson(book))
  })

  it('has examples that fit their shapes, and are small', async () => {
    const book = reading.rules({
      loan: (_loan, { standing: { giver } }) => ({ may: { read: [giver], update: [giver.only('until')] } }),
    })
    for await (const { found } of selfPromotions(book.model))
      for (const { example } of found) {
        expect(Object.values(example?.records ?? {}).flat(), JSON.stringify(example)).to.have.length(2)
        const { record, becomes, target } = example ?? {}
        expect([record?.giverId, record?.sailorId], 'a loan that they gave themselves').to.deep.equal([example?.me?.id, example?.me?.id])
        expect(becomes).to.deep.equal({ ...record, until: becomes?.until })
        expect(target?.ownerId).not.to.equal(example?.me?.id)
      }
  })

  it('is not fooled by what never was: no record leads to the key of a new one', async () => {
    // A voyage cannot already be on the boat that is created.
    const book = harbour.rules({
      boat: (_boat, { standing: { owner }, me }) => ({ may: { read: [owner], create: [owner] }, stamps: { create: { ownerId: me.id } } }),
      voyage: (voyage, { standing: { helm } }) => ({ may: { read: [helm, voyage.boat.standing.owner] } }),
    })
    expect(await found(book, ['boat'])).to.deep.equal([])
    const keyed = harbour.rules({
      boat: (_boat, { standing: { owner }, me }) => ({
        may: { read: [owner], create: [owner.overriding('id')] },
        stamps: { create: { ownerId: me.id } },
      }),
      voyage: (voyage, { standing: { helm } }) => ({ may: { read: [helm, voyage.boat.standing.owner] } }),
    })
    expect(await found(keyed, ['boat'])).to.have.length(1)
    // The next number is easy to guess.
    const counted = rulebook({
      me: { shape: z.object({ id }), key: 'id' },
      records: {
        box: { shape: z.object({ id: z.int(), ownerId: id }), key: 'id' },
        letter: { shape: z.object({ id, boxId: z.int() }), key: 'id', links: { box: toOne('box', 'boxId') } },
      },
    }).rules({
      box: (box, { signedIn, me }) => ({
        may: { read: [signedIn.provided(box.ownerId.is(me.id))], create: [signedIn] },
        stamps: { create: { ownerId: me.id } },
      }),
      letter: (letter, { signedIn, me }) => ({ may: { read: [signedIn.provided(letter.box.ownerId.is(me.id))] } }),
    })
    expect(await found(counted)).not.to.deep.equal([])
  })
})
