import { expect } from 'chai'
import { allOf, indexed, isPachterError, not, rulebook, toMany, toOne } from 'pachter'
import { conditionFromJson, describe as inWords, predicate } from 'pachter/condition'
import { z } from 'zod'

const Session = z.object({ id: z.string(), code: z.string().optional() })
const Plot = z.object({
  id: z.string(),
  holderId: z.string().nullable(),
  row: z.string(),
  number: z.int(),
  open: z.boolean(),
  beds: z.array(z.object({ crop: z.string(), byId: z.string().optional(), tags: z.array(z.string()), sown: z.object({ by: z.string() }) })),
})
const Key = z.object({ id: z.string(), row: z.string(), number: z.int().nullable(), memberId: z.string().optional(), blocked: z.boolean() })
const Job = z.object({ id: z.string(), memberIds: z.array(z.string()), parentId: z.string().nullable(), plotId: z.string() })
const Member = z.object({ id: z.string(), card: z.string(), bannedFrom: z.array(z.string()), homeId: z.string().nullable() })

const me = { shape: Session, key: 'id', links: { card: toOne('member', { card: 'code' }), jobs: toMany('job', 'memberIds') } } as const
const records = {
  plot: {
    shape: Plot,
    key: 'id',
    // Over two fields, neither of them a key.
    links: { holder: toOne('member', 'holderId'), keys: toMany('key', { row: 'row', number: 'number' }), jobs: toMany('job', 'plotId') },
  },
  key: { shape: Key, key: 'id', links: { plot: toOne('plot', { row: 'row', number: 'number' }), member: toOne('member', 'memberId') } },
  job: {
    shape: Job,
    key: 'id',
    links: { members: toMany('member', { id: 'memberIds' }), parent: toOne('job', 'parentId'), plot: toOne('plot', 'plotId') },
  },
  member: { shape: Member, key: 'id', links: { home: toOne('plot', 'homeId'), jobs: toMany('job', 'memberIds') } },
} as const
const begun = rulebook({ me, records })

const bed = (crop: string, byId?: string) => ({ crop, ...(byId ? { byId } : {}), tags: [crop, 'x'], sown: { by: byId ?? 'nobody' } })
const data = {
  plot: [
    { id: 'p1', holderId: 'm1', row: 'A', number: 1, open: true, beds: [bed('kale', 'm2'), bed('leek')] },
    { id: 'p2', holderId: null, row: 'A', number: 2, open: false, beds: [] },
    { id: 'p3', holderId: ' ', row: 'B', number: 1, open: true, beds: [bed('kale')] },
  ],
  key: [
    { id: 'k1', row: 'A', number: 1, memberId: 'm3', blocked: false },
    { id: 'k2', row: 'A', number: null, memberId: 'm3', blocked: true },
    { id: 'k3', row: 'B', number: 1, blocked: true },
  ],
  job: [
    { id: 'j1', memberIds: ['m1', 'm2'], parentId: null, plotId: 'p1' },
    { id: 'j2', memberIds: [], parentId: 'j1', plotId: 'p1' },
    { id: 'j3', memberIds: ['m3'], parentId: 'j2', plotId: 'p9' },
    // A ring: each is above the other, and none above itself.
    { id: 'j4', memberIds: ['m4'], parentId: 'j5', plotId: '' },
    { id: 'j5', memberIds: [], parentId: 'j4', plotId: 'p2' },
  ],
  member: [
    { id: 'm1', card: 'c1', bannedFrom: [], homeId: 'p1' },
    { id: 'm2', card: 'c2', bannedFrom: ['p1'], homeId: null },
    { id: 'm3', card: 'c3', bannedFrom: [], homeId: 'p2' },
    { id: 'm4', card: 'c4', bannedFrom: [], homeId: 'p8' },
  ],
}

/** The records of a type that a clause shows to somebody. */
function shows(type: 'plot' | 'job' | 'key' | 'member', who: object | null, clause: (record: any, words: any) => unknown): string {
  const book = (begun as any).rules({
    [type]: (record: any, words: any) => ({ may: { read: [words.anyone.provided(clause(record, words))] } }),
  })
  const list = book.for(who, { records: data }).filter(type, data[type])
  return list.map(({ id }: { id: string }) => id).join(' ')
}

describe('rules follow links', () => {
  const CASES: readonly [string, Parameters<typeof shows>, string][] = [
    ['to one', ['job', { id: 'm1' }, (job, { me: who }) => job.plot.holderId.is(who.id)], 'j1 j2'],
    ['to one that is not there: its fields are missing', ['job', null, (job) => job.plot.row.isMissing()], 'j3 j4'],
    ['to one, asked whether it is there', ['job', null, (job) => job.plot.isPresent()], 'j1 j2 j5'],
    ['to one, with a stand-in', ['job', null, (job) => job.plot.row.orElse('B').is('B')], 'j3 j4'],
    ['to one and on to another', ['job', null, (job) => job.parent.plot.open.is(true)], 'j2 j3'],
    ['to one by two fields, of which one is missing', ['key', null, (key) => key.plot.open.is(true)], 'k1 k3'],
    ['to many', ['plot', { id: 'm3' }, (plot, { me: who }) => plot.keys.some((key: any) => key.memberId.is(who.id))], 'p1'],
    ['to many: is there one at all', ['plot', null, (plot) => plot.keys.some()], 'p1 p3'],
    ['to many by a list of ids', ['job', null, (job) => job.members.some((member: any) => member.card.is('c2'))], 'j1'],
    ['and back from it', ['member', null, (member) => member.jobs.some()], 'm1 m2 m3 m4'],
    [
      'to many, compared with where one comes from',
      ['plot', null, (plot) => plot.jobs.some((job: any) => job.memberIds.has(plot.holderId))],
      'p1',
    ],
    [
      'to many within to many',
      ['plot', null, (plot) => plot.jobs.some((job: any) => job.members.some((member: any) => member.bannedFrom.has(plot.id)))],
      'p1',
    ],
    ['objects in a list', ['plot', { id: 'm2' }, (plot, { me: who }) => plot.beds.some((one: any) => one.byId.is(who.id))], 'p1'],
    [
      'fields inside of them',
      ['plot', null, (plot) => plot.beds.some((one: any) => allOf(one.sown.by.is('nobody'), one.tags.has('kale')))],
      'p3',
    ],
    ['the chain above', ['job', null, (job) => job.ancestors('parent').some((above: any) => above.memberIds.has('m1'))], 'j2 j3'],
    [
      'a ring above, itself left out',
      ['job', null, (job) => job.ancestors('parent').some((above: any) => above.memberIds.has('m4'))],
      'j5',
    ],
    ['the chain above a linked record', ['job', null, (job) => job.parent.ancestors('parent').some()], 'j3 j4 j5'],
    [
      'any record of a type',
      ['plot', null, (plot, { records: any }) => any('key').some((key: any) => allOf(key.row.is(plot.row), key.blocked.is(true)))],
      'p1 p2 p3',
    ],
    [
      'a record of mine, by another field than my key',
      ['plot', { id: 'x', code: 'c3' }, (plot, { me: who }) => plot.id.is(who.card.homeId)],
      'p2',
    ],
    ['and on from it', ['plot', { id: 'x', code: 'c3' }, (plot, { me: who }) => plot.row.is(who.card.home.row)], 'p1 p2'],
    ['many records of mine', ['plot', { id: 'm1' }, (plot, { me: who }) => who.jobs.some((job: any) => job.plotId.is(plot.id))], 'p1'],
    [
      'many records of a record of mine',
      ['plot', { id: 'x', code: 'c3' }, (plot, { me: who }) => who.card.jobs.some((job: any) => not(job.plotId.is(plot.id)))],
      'p1 p2 p3',
    ],
    ['a visitor has none', ['plot', null, (plot, { me: who }) => plot.row.is(who.card.home.row)], ''],
    ['a blank id leads nowhere, and equals none', ['plot', { id: ' x' }, (plot) => plot.holderId.isMissing()], 'p2 p3'],
  ]
  for (const [what, args, ids] of CASES) {
    it(`${what}: ${ids || 'none'}`, () => expect(shows(...args)).to.equal(ids))
  }

  it('keep what rules say when they are written to JSON and read back', () => {
    for (const [what, [type, , clause]] of CASES) {
      const book = (begun as any).rules({
        [type]: (record: any, words: any) => ({ may: { read: [words.anyone.provided(clause(record, words))] } }),
      })
      const { when } = book.model.types[type].rules.may.read[0]
      expect(conditionFromJson(JSON.parse(JSON.stringify(when))), what).to.deep.equal(when)
      expect(inWords(when, { record: `the ${type}` }), what).to.match(/\w/)
    }
  })

  it('need to know where the records are', () => {
    const book = begun.rules({ job: (job, { anyone }) => ({ may: { read: [anyone.provided(job.plot.open.is(true))] } }) })
    expect(() => book.for(null).filter('job', data.job as never))
      .to.throw('records: { plot: [...] }')
      .with.property('code', 'NO_LINKED_RECORDS')
    expect(() => book.for(null, { records: { plott: [] } as never })).to.throw('Did you mean "plot"')
    const [clause] = book.model.types.job?.rules?.may.read ?? []
    expect(() => predicate(clause?.when as never)(data.job[0] as never, { me: null, now: 0 }), 'what is not given is not missing')
      .to.throw()
      .with.property('code', 'NO_LINKED_RECORDS')
  })

  it('lead to no record of mine where there are two', () => {
    const book = begun.rules({ plot: (plot, { me: who, anyone }) => ({ may: { read: [anyone.provided(plot.id.is(who.card.homeId))] } }) })
    const twice = { ...data, member: [...data.member, { id: 'm9', card: 'c3', bannedFrom: [], homeId: 'p1' }] }
    const ids = (world: typeof data) => book.for({ id: 'x', code: 'c3' }, { records: world as never }).filter('plot', data.plot)
    expect(ids(data)).to.have.length(1)
    expect(ids(twice)).to.deep.equal([])
  })

  it('take no record of mine from the claims themselves', () => {
    const open = z.looseObject({ id: z.string() })
    const book = rulebook({
      me: { shape: open, key: 'id', links: { own: toOne('member', 'id') } },
      records: { member: { shape: Member, key: 'id' } },
    }).rules({ member: (_member, { me: who, anyone }) => ({ may: { read: [anyone.provided(who.own.card.is('c1'))] } }) })
    const forged = { id: 'm2', own: { id: 'm2', card: 'c1' } }
    expect(book.for(forged, { records: { member: data.member } }).filter('member', data.member)).to.deep.equal([])
    expect(book.for({ id: 'm1' }, { records: { member: data.member } }).filter('member', data.member)).to.have.length(4)
  })

  it('through indexes: n records with m linked ones cost about n + m', () => {
    let reads = 0
    const counted = <T extends { id: string }>(row: T): T =>
      new Proxy(row, {
        get(target, name) {
          reads += 1
          return Reflect.get(target, name)
        },
      })
    const N = 2000
    const plots = Array.from({ length: N / 10 }, (_, at) =>
      counted({ ...(data.plot[0] as (typeof data.plot)[number]), id: `p${at}`, holderId: `m${at % 7}` }),
    )
    const jobs = Array.from({ length: N }, (_, at) => counted({ id: `j${at}`, memberIds: [], parentId: null, plotId: `p${at % (N / 10)}` }))
    const book = begun.standings({ plot: (plot, { me: who }) => ({ near: plot.jobs.some((job) => job.memberIds.has(who.id)) }) }).rules({
      job: (job, { me: who, anyone }) => ({
        may: { read: [anyone.provided(job.plot.holderId.is(who.id)), job.plot.standing.near] },
      }),
    })
    const found = book.for({ id: 'm1' }, { records: indexed({ plot: plots, job: jobs }) }).filter('job', jobs)
    expect(found).to.have.length(plots.filter(({ holderId }) => holderId === 'm1').length * 10)
    expect(reads, `${reads} reads of ${N} records and ${N / 10} linked ones`).to.be.below(20 * N)
  })
})

describe('links that mean nothing', () => {
  const loose = rulebook as any
  const linked = (links: object) =>
    loose({ me: { shape: Session, key: 'id' }, records: { ...records, key: { shape: Key, key: 'id', links } } })
  const rule = (write: (job: any, words: any) => unknown) =>
    (begun as any).rules({ job: (job: any, words: any) => ({ may: { read: [words.anyone.provided(write(job, words))] } }) })
  const standing = (write: (job: any, words: any) => unknown) =>
    (begun as any).standings({ job: (job: any, words: any) => ({ some: write(job, words) }) })
  let leaked: any
  const MISTAKES: readonly [string, () => unknown, string][] = [
    [
      'to a type that is not there',
      () => linked({ plot: toOne('plto', 'row') }),
      'key.links.plot: there is no record type "plto". Did you mean "plot"',
    ],
    ['by a field that is not there', () => linked({ member: toOne('member', 'memberID') }), 'Did you mean "memberId"'],
    ['by a field that the other has not', () => linked({ plot: toOne('plot', { roww: 'row' }) }), 'Did you mean "row"'],
    ['of text to numbers', () => linked({ plot: toOne('plot', { number: 'row' }) }), 'text is never equal to integer'],
    ['by a list, to one', () => linked({ member: toOne('member', { bannedFrom: 'id' }) }), 'use toMany'],
    ['by objects', () => linked({ plot: toMany('plot', { beds: 'id' }) }), 'a link cannot join on it'],
    ['by nothing', () => linked({ plot: toOne('plot', {} as never) }), 'say which fields'],
    ['under the name of a field', () => linked({ row: toOne('plot', 'row') }), 'a field has this name already'],
    ['under a word of the rules', () => linked({ ancestors: toOne('plot', 'row') }), 'this name has a meaning in rules'],
    ['that is none', () => linked({ plot: 'plot' }), 'a link is needed'],
    [
      'with an odd option',
      () => linked({ member: toOne('member', 'memberId', { onDelte: 'refuse' } as never) }),
      'Did you mean "onDelete"',
    ],
    [
      'with an odd value of one',
      () => linked({ member: toOne('member', 'memberId', { onDelete: 'delet' } as never) }),
      'Did you mean "delete"',
    ],
    ['a link that is not there', () => rule((job) => job.plt.open.is(true)), 'job: there is no field "plt". Did you mean "plot"'],
    ['a field of a linked record', () => rule((job) => job.plot.opn.is(true)), 'job.plot: there is no field "opn". Did you mean "open"'],
    ['to many, without some', () => rule((job) => job.members.card), 'job.members leads to many'],
    ['some of no function', () => rule((job) => job.members.some('card')), 'takes a function'],
    ['some that gives no condition', () => rule((job) => job.members.some(() => true)), 'some takes conditions'],
    ['a chain by a link to others', () => rule((job) => job.ancestors('plot').some()), 'link to one job "plot"'],
    ['records of no type', () => rule((_job, { records: any }) => any('jbo').some()), 'Did you mean "job"'],
    ['a standing that is not there', () => rule((job) => job.plot.standing.holder), 'no standing of plot "holder"'],
    ['a standing that needs itself', () => standing((job) => job.parent.standing.some), 'in later calls of standings'],
    [
      'a record that is used outside of its some',
      () =>
        rule((job) =>
          allOf(
            job.members.some((member: any) => {
              leaked = member
              return member.card.is('x')
            }),
            leaked.card.is('y'),
          ),
        ),
      'outside of that function',
    ],
    [
      'a condition that is too deep',
      () => rule((job) => Array.from({ length: 70 }).reduce((inner: any) => not(inner), job.plotId.is('p1'))),
      'at most 64 levels deep',
    ],
    ['not of a linked field that may be missing', () => rule((job) => not(job.plot.open.is(true))), 'job.plot.open.orElse(...)'],
    [
      'not of some by what may be missing',
      () => rule((job, { me: who }) => not(who.card.jobs.some((one: any) => one.id.is(job.id)))),
      'me.card',
    ],
    [
      'not of a claim within some',
      () => rule((job, { me: who }) => not(job.members.some((one: any) => one.id.is(who.id)))),
      'signedIn.provided',
    ],
    ['not of what may be missing within some', () => rule((job) => not(job.members.some((one: any) => one.homeId.is('p1')))), 'it.homeId'],
  ]
  for (const [what, work, says] of MISTAKES) {
    it(`${what}: ${says}`, () => {
      try {
        work()
        expect.fail('it was built')
      } catch (error) {
        expect(isPachterError(error, 'BAD_RULEBOOK'), String(error)).to.equal(true)
        expect((error as Error).message).to.include(says)
      }
    })
  }

  it('what is spoken for may stand under not', () => {
    rule((job) => not(job.plot.open.orElse(false).is(true)))
    rule((job) => allOf(job.plot.isPresent(), not(job.plot.open.is(true))))
    rule((job) => not(job.members.some((one: any) => one.card.is('c1'))))
    rule((job, { me: who, signedIn }) => allOf(signedIn, not(job.members.some((one: any) => one.id.is(who.id)))))
    const later = (begun as any).standings({ plot: (plot: any) => ({ open: plot.open.is(true) }) })
    const build = (write: (job: any, words: any) => unknown) => () =>
      later.rules({ job: (job: any, words: any) => ({ may: { read: [words.anyone.provided(write(job, words))] } }) })
    expect(build((job) => not(job.plot.standing.open))).to.throw('plot')
    build((job) => allOf(job.plot.isPresent(), not(job.plot.standing.open)))()
  })
})
