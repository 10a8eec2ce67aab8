import { expect } from 'chai'
import { allOf, isPachterError, not, rulebook } from 'pachter'
import { openStore, type Store } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'

const Session = z.object({ id: z.string(), roles: z.array(z.enum(['warden'])) })
const Job = z.object({
  id: z.string(),
  assigneeId: z.string(),
  state: z.enum(['open', 'done', 'approved']),
  hours: z.number(),
  price: z.number().optional(),
  tags: z.array(z.string()),
  dueAt: z.date().optional(),
})
const begun = rulebook({ me: { shape: Session, key: 'id' }, records: { job: { shape: Job, key: 'id' } } })
const book = begun.standings({ job: (job, { me }) => ({ assignee: job.assigneeId.is(me.id) }) }).rules({
  job: (job, { after, standing: { assignee }, role, anyone }) => ({
    may: {
      read: [anyone],
      update: [
        assignee
          .provided(job.state.is('open'))
          .only('state')
          .afterwards(allOf(assignee, job.state.isOneOf(['open', 'done']))),
        assignee
          .provided(after.hours.isAtLeast(job.hours), after.dueAt.orElse(new Date(0)).is(job.dueAt.orElse(new Date(0))))
          .only('hours', 'dueAt', 'tags'),
        role('warden').except('assigneeId'),
        anyone.provided(after.tags.has('anyone')).only('price').titled('what nobody sees coming'),
      ],
    },
    vetoes: [
      {
        actions: ['update'],
        provided: allOf(after.state.is('approved'), job.state.is('open')),
        message: 'Only what is done is approved.',
      },
      { actions: ['update'], provided: job.state.is('approved'), unless: after.state.is('approved'), message: 'Approved is approved.' },
    ],
  }),
})

const BRAM = { id: 'm-2', roles: [] }
const WARDEN = { id: 'm-4', roles: ['warden' as const] }
const DATA = [
  { id: 'j-1', assigneeId: 'm-2', state: 'open' as const, hours: 2, tags: [], dueAt: new Date(5000) },
  { id: 'j-2', assigneeId: 'm-2', state: 'done' as const, hours: 2, tags: ['anyone'] },
  { id: 'j-3', assigneeId: 'm-2', state: 'approved' as const, hours: 2, tags: [] },
]

for (const [where, open] of Object.entries(backends(book))) {
  describe(`updates judged on the record afterwards, ${where}`, () => {
    let store: Store<any>
    beforeEach(async () => {
      store = openStore(book, await open()) as Store<any>
      for (const job of DATA) await store.asSystem('test').create('job', job)
    })

    const CASES: readonly [what: string, who: object | null, key: string, changes: object, outcome: string][] = [
      ['the assignee finishes an open job', BRAM, 'j-1', { state: 'done' }, 'done'],
      ['and cannot approve it', BRAM, 'j-1', { state: 'approved' }, 'REFUSED: Only what is done is approved.'],
      ['nor reopen it once it is done', BRAM, 'j-2', { state: 'open' }, 'REFUSED: You may not change state.'],
      [
        'nor hand it to somebody else while finishing it',
        BRAM,
        'j-1',
        { state: 'done', assigneeId: 'm-9' },
        'REFUSED: You may not change assigneeId.',
      ],
      ['hours only grow', BRAM, 'j-1', { hours: 3 }, 'done'],
      ['and do not shrink', BRAM, 'j-1', { hours: 1 }, 'REFUSED: You may not change hours.'],
      [
        'the due date stays, though the field may be sent',
        BRAM,
        'j-1',
        { hours: 3, dueAt: new Date(6000) },
        'REFUSED: You may not change hours, dueAt.',
      ],
      ['a missing due date stays missing', BRAM, 'j-2', { hours: 3, dueAt: new Date(6000) }, 'REFUSED: You may not change hours, dueAt.'],
      ['two clauses together let two fields change', BRAM, 'j-1', { hours: 3, state: 'done' }, 'done'],
      ['the warden approves what is done', WARDEN, 'j-2', { state: 'approved' }, 'done'],
      ['and not what is open', WARDEN, 'j-1', { state: 'approved' }, 'REFUSED: Only what is done is approved.'],
      ['approved stays approved', WARDEN, 'j-3', { state: 'open' }, 'REFUSED: Approved is approved.'],
      ['though its price may change', WARDEN, 'j-3', { price: 5 }, 'done'],
      ['a list as it becomes', { id: 'm-9', roles: [] }, 'j-2', { price: 1 }, 'done'],
      ['or does not', { id: 'm-9', roles: [] }, 'j-1', { price: 1 }, 'REFUSED: You may not update this job.'],
    ]
    for (const [what, who, key, changes, expected] of CASES) {
      it(`${what}: ${expected}`, async () => {
        const before = await store.asSystem('test').get('job', key)
        const mine = store.for(who as never)
        const error = await mine.update('job', key, changes).then(
          () => 'done',
          (caught: unknown) => caught,
        )
        expect(isPachterError(error) ? `${error.code}: ${error.message}` : error).to.equal(expected)
        const after = await store.asSystem('test').get('job', key)
        expect(after).to.deep.equal(expected === 'done' ? { ...(before as object), ...changes } : before)
        const verdict = book.for(who as never).verdict('update', 'job', before as never, { ...(before as object), ...changes } as never)
        expect(verdict.allowed, 'the same without a store').to.equal(expected === 'done')
      })
    }
  })
}

describe('the record as it becomes', () => {
  it('can be spoken of in rules of update only', () => {
    const build = (rules: (words: any, job: any) => object) => () =>
      (begun as any).rules({ job: (job: any, words: any) => rules(words, job) })
    const only = 'in rules of update only'
    expect(build(({ anyone, after }) => ({ may: { read: [anyone.provided(after.hours.is(1))] } }))).to.throw(only)
    expect(build(({ anyone }, job) => ({ may: { create: [anyone.afterwards(job.hours.is(1))] } }))).to.throw(only)
    expect(build(({ after }) => ({ vetoes: [{ actions: ['update', 'delete'], provided: after.hours.is(1), message: 'No.' }] }))).to.throw(
      only,
    )
    expect(build(({ after }) => ({ gate: { update: after.hours.is(1) } }))).to.throw('as it is')
    expect(build(({ anyone }, job) => ({ may: { update: [anyone.afterwards(not(job.price.is(1)))] } }))).to.throw(
      'missing data must never grant access',
    )
    expect(build(({ anyone, after }) => ({ may: { update: [anyone.provided(after.hrs.is(1))] } }))).to.throw('"hrs"')
  })

  it('is explained', () => {
    const { clauses, fields } = book.for(BRAM).why('update', 'job', DATA[0] as never, { ...DATA[0], state: 'done' } as never)
    expect(clauses[0]?.title).to.include('afterwards').and.include('only state')
    expect([clauses[0]?.trace.holds, clauses[0]?.after?.holds]).to.deep.equal([true, true])
    expect(fields?.map(({ field, letBy }) => [field, letBy.length])).to.deep.equal([['state', 1]])
  })
})
