// What a page is given of one's own rules: nothing that one may not see of one's own linked records.
import { expect } from 'chai'
import { rulebook, toOne } from 'pachter'
import { pageView } from 'pachter/client'
import { routes } from 'pachter/http'
import { inMemory, openStore } from 'pachter/store'
import { z } from 'zod'

const id = z.string()
const Member = z.object({ id, name: z.string(), roles: z.array(z.string()), riskScore: z.int(), branchId: id, tag: z.string() })
const book = rulebook({
  me: { shape: z.object({ id }), key: 'id', links: { member: toOne('member', 'id') } },
  records: {
    member: { shape: Member, key: 'id', links: { branch: toOne('branch', 'branchId', { target: 'any' }) } },
    branch: { shape: z.object({ id, city: z.string(), code: z.string() }), key: 'id' },
    loan: {
      shape: z.object({ id, limit: z.int(), score: z.int(), city: z.string(), code: z.string(), name: z.string(), tag: z.string() }),
      key: 'id',
    },
  },
}).rules({
  member: (member, { me, anyone }) => ({ may: { read: [anyone.provided(member.id.is(me.id)).except('riskScore', 'tag')] } }),
  branch: (branch, { me, anyone }) => ({ may: { read: [anyone.provided(branch.id.is(me.member.branchId)).except('code')] } }),
  loan: (loan, { me, anyone, signedIn }) => ({
    may: {
      read: [signedIn],
      update: [
        anyone.provided(loan.name.is(me.member.name)),
        anyone.provided(loan.score.is(me.member.riskScore)),
        anyone.provided(loan.limit.isAtMost(me.member.riskScore)),
      ],
      delete: [
        anyone.provided(me.member.riskScore.isMoreThan(700)).provided(loan.city.is(me.member.branch.city)),
        anyone.provided(loan.code.is(me.member.branch.code)),
      ],
      create: [signedIn],
    },
    stamps: { create: { score: me.member.riskScore, tag: me.member.tag, name: me.member.name }, update: { tag: me.member.tag } },
    vetoes: [
      { actions: ['update'], provided: loan.score.is(me.member.riskScore.orElse(0)).and(loan.limit.isMoreThan(10)), message: 'Not now.' },
    ],
  }),
})

const data = {
  member: [{ id: 'ann', name: 'Ann', roles: [], riskScore: 734917, branchId: 'b1', tag: 'watch-list' }],
  branch: [{ id: 'b1', city: 'Ely', code: 'branch-code-9' }],
  loan: [
    { id: 'l1', limit: 5, score: 734917, city: 'Ely', code: 'x', name: 'Ann', tag: '' },
    { id: 'l2', limit: 5, score: 1, city: 'Ely', code: 'x', name: 'Bob', tag: '' },
  ],
}

describe('the rules that a page is given', () => {
  const store = openStore(book, inMemory(data))
  const asked = routes(book, store, { identity: async () => ({ id: 'ann' }), insecure: true })
  const rules = async () => (await asked(new Request('https://loans.example/my-rules'))).text()

  it('hold nothing that is hidden of the person themselves, in conditions and stamps', async () => {
    const text = await rules()
    for (const secret of ['734917', 'watch-list', 'branch-code-9']) expect(text).not.to.include(secret)
    // What they see, they are told.
    expect(text).to.include('"Ann"').and.to.include('"Ely"')
  })

  it('ask the server where it depends on that, and answer the rest', async () => {
    const page = pageView(JSON.parse(await rules()))
    const [own, other] = data.loan
    expect(page.verdict('update', 'loan', { ...own, limit: 50 }, { whole: true }).outcome).to.equal('ask the server')
    expect(page.verdict('delete', 'loan', { ...other, city: 'March' }, { whole: true }).outcome).to.equal('ask the server')
    expect(page.verdict('create', 'loan', { limit: 1, city: 'Ely', code: 'x' }).allowed).to.equal(true)
    expect(page.verdict('create', 'loan', { limit: 1, city: 'Ely', code: 'x', score: 3 }).outcome).to.equal('ask the server')
    expect(page.verdict('create', 'loan', { limit: 1, city: 'Ely', code: 'x', name: 'Eve' }).outcome).to.equal('refused')
  })

  it('are the same for two people who differ only in what is hidden from them', async () => {
    const first = await rules()
    const differing = {
      ...data,
      member: data.member.map((one) => ({ ...one, riskScore: 12, tag: 'other' })),
      branch: [{ ...data.branch[0], code: 'y' }],
    }
    const other = routes(book, openStore(book, inMemory(differing as never)), { identity: async () => ({ id: 'ann' }), insecure: true })
    expect(await (await other(new Request('https://loans.example/my-rules'))).text()).to.equal(first)
  })
})
