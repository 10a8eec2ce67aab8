import { toStandardJsonSchema } from '@valibot/to-json-schema'
import { expect } from 'chai'
import { allOf, anyOf, isPachterError, not, now, rulebook } from 'pachter'
import * as valibot from 'valibot'
import { z } from 'zod'

const Session = z.object({
  id: z.string(),
  email: z.string().optional(),
  roles: z.array(z.enum(['warden', 'treasurer'])),
  siteIds: z.array(z.string()),
})
const Plot = z.object({
  id: z.string(),
  number: z.int(),
  rent: z.number(),
  holderId: z.string().nullable(),
  state: z.enum(['vacant', 'let']),
  until: z.date().optional(),
  sownOn: z.string().optional(),
  tags: z.array(z.string()),
  open: z.boolean(),
  address: z.object({ town: z.string() }).optional(),
  extra: z.unknown(),
})
const records = { plot: { shape: Plot, key: 'id', times: ['sownOn'] } } as const
const me = { shape: Session, key: 'id' } as const
// From JavaScript: nothing is typed, so nothing but the build can notice.
const loose = rulebook as any
const build = (rules: any, standings: any = (plot: any, { me: who }: any) => ({ holder: plot.holderId.is(who.id) })) =>
  loose({ me, records }).standings({ plot: standings }).rules({ plot: rules })
const clause = (write: (plot: any, words: any) => unknown) => build((plot: any, words: any) => ({ may: { read: [write(plot, words)] } }))
const provided = (write: (plot: any, me: any) => unknown) => clause((plot, { anyone, me: who }) => anyone.provided(write(plot, who)))

function messageOf(work: () => unknown): string {
  try {
    work()
  } catch (error) {
    expect(isPachterError(error, 'BAD_RULEBOOK'), String(error)).to.equal(true)
    return (error as Error).message
  }
  return 'it was built'
}

const MISTAKES: readonly [what: string, work: () => unknown, ...says: (string | RegExp)[]][] = [
  [
    'a field that is not there',
    () => provided((plot) => plot.holdrId.is('x')),
    'rules of plot',
    'plot',
    '"holdrId"',
    'Did you mean "holderId"',
  ],
  ['a field by name that is not there', () => provided((plot) => plot.field('nmber').is(1)), '"nmber"', 'Did you mean "number"'],
  ['a nested field that is not there', () => provided((plot) => plot.address.twn.is('x')), 'plot.address', 'Did you mean "town"'],
  ['a claim that is not there', () => provided((plot, who) => plot.holderId.is(who.ids)), 'me', '"ids"', 'Did you mean "id"'],
  ['an operator that is not there', () => provided((plot) => plot.number.isMoreThn(1)), 'plot.number', 'Did you mean "isMoreThan"'],
  ['a value that the shape does not list', () => provided((plot) => plot.state.is('vacnt')), 'plot.state', 'Did you mean "vacant"'],
  ['a value of another type', () => provided((plot) => plot.number.is('5')), 'plot.number', '"5" is not a value of type integer'],
  ['half a number where whole ones live', () => provided((plot) => plot.number.is(2 ** 53)), 'not a safe integer'],
  ['NaN', () => provided((plot) => plot.rent.is(Number.NaN)), 'NaN equals nothing'],
  ['an invalid time', () => provided((plot) => plot.until.isAfter(new Date('soon'))), 'plot.until', 'not an instant'],
  ['text that no engine can hold', () => provided((plot) => plot.holderId.is('a\0')), 'NUL'],
  ['a blank id', () => provided((plot) => plot.id.is(' ')), 'blank'],
  ['null', () => provided((plot) => plot.holderId.is(null)), 'isMissing()'],
  ['undefined, from a claim misspelt elsewhere', () => provided((plot) => plot.holderId.is(undefined)), 'isMissing()'],
  ['text compared with a number field', () => provided((plot) => plot.holderId.is(plot.number)), 'cannot compare text with integer'],
  ['order of text', () => provided((plot) => plot.holderId.isMoreThan('a')), 'compares numbers, not text'],
  [
    'a time that nobody said is one',
    () => build((plot: any, { anyone }: any) => ({ may: { read: [anyone.provided(plot.holderId.isBefore(now))] } })),
    "times: ['holderId']",
  ],
  ['a list where one value is meant', () => provided((plot) => plot.tags.is('a')), 'needs a single value on its left'],
  ['one value where a list is meant', () => provided((plot) => plot.state.has('let')), 'needs a list on its left'],
  ['no list for isOneOf', () => provided((plot) => plot.state.isOneOf('let')), 'needs a list'],
  ['the inside of what the shape does not describe', () => provided((plot) => plot.extra.is('x')), 'isMissing() and isPresent()'],
  ['a stand-in of another type', () => provided((plot) => plot.holderId.orElse(5).is('a')), 'plot.holderId', 'not a value of type text'],
  ['an unknown standing', () => clause((_plot, { standing: { holdr } }) => holdr), 'standing of plot', 'Did you mean "holder"'],
  ['an unknown role', () => clause((_plot, { role }) => role('wardn')), 'role', 'Did you mean "warden"'],
  ['no role at all', () => clause((_plot, { role }) => role()), 'needs at least one role'],
  ['an unknown word', () => clause((_plot, { everyone }) => everyone), 'word', '"everyone"'],
  ['an unknown action', () => build((_plot: any, { anyone }: any) => ({ may: { raed: [anyone] } })), 'Did you mean "read"'],
  ['an unknown part of the rules', () => build((_plot: any, { anyone }: any) => ({ my: { read: [anyone] } })), 'Did you mean "may"'],
  ['an unknown record type', () => loose({ me, records }).rules({ plto: () => ({}) }), '"plto"', 'Did you mean "plot"'],
  ['rules for a type that has some', () => build(() => ({})).rules({ plot: () => ({}) }), 'has rules already'],
  [
    'a clause twice',
    () =>
      build((_plot: any, { anyone }: any) => ({ may: { read: [anyone, anyone] } })) &&
      build((_p: any, w: any) => ({ may: { read: [w.anyone, w.anyone] } })),
    '"anyone" occurs twice',
  ],
  ['a condition where a clause belongs', () => clause((plot) => plot.open.is(true)), 'anyone.provided(condition)'],
  ['true where a clause belongs', () => clause(() => true), 'a clause is needed'],
  ['a missing clause', () => clause(() => undefined), 'not nothing'],
  ['a comparison made by JavaScript', () => provided((plot) => plot.number === 5), 'was given false'],
  ['a term where a condition belongs', () => provided((plot) => plot.open), 'was given a term'],
  [
    'a clause with limits as a condition',
    () => clause((plot, { standing: { holder }, anyone }) => anyone.provided(holder.provided(plot.open.is(true)))),
    'a clause with limits',
  ],
  ['a function that was not called', () => provided((plot) => plot.holderId.isMissing), 'call it'],
  ['allOf of nothing', () => provided(() => (allOf as any)()), 'allOf() needs at least one'],
  [
    'a && b',
    () => clause((plot, { standing: { holder }, anyone }) => holder && anyone.provided(plot.open.is(true))),
    'never used',
    'allOf(a, b)',
  ],
  [
    'a && b among conditions',
    () => provided((plot) => plot.open.is(true) && plot.state.is('let')),
    'never used',
    "plot's open is true|the record's open is true",
  ],
  [
    'a standing that exists already',
    () =>
      loose({ me, records })
        .standings({ plot: (plot: any) => ({ a: plot.open.is(true) }) })
        .standings({ plot: (plot: any) => ({ a: plot.open.is(true) }) }),
    'exists already',
  ],
  [
    'a standing that is no condition',
    () =>
      build(
        () => ({}),
        () => ({ holder: true }),
      ),
    'standings of plot',
    'holder takes conditions',
  ],
  ['words that are none', () => build(() => ({ messages: { delete: '' } })), 'messages.delete'],
  [
    'rules of another type',
    () => loose({ me, records: { ...records, bed: records.plot } }).rules({ bed: loose({ me, records }).rulesOf('plot', () => ({})) }),
    'these are the rules of plot',
  ],
  ['an unknown key', () => loose({ me, records: { plot: { shape: Plot, key: 'idd' } } }), 'plot.key', 'Did you mean "id"'],
  ['a key that may be missing', () => loose({ me, records: { plot: { shape: Plot, key: 'holderId' } } }), 'may be missing'],
  ['a key that is a list', () => loose({ me, records: { plot: { shape: Plot, key: 'tags' } } }), 'a list'],
  ['an unknown time', () => loose({ me, records: { plot: { shape: Plot, key: 'id', times: ['sownon'] } } }), 'Did you mean "sownOn"'],
  ['a time that holds a number', () => loose({ me, records: { plot: { shape: Plot, key: 'id', times: ['rent'] } } }), 'not an instant'],
  ['a misspelt part of the definition', () => loose({ me, record: records }), 'Did you mean "records"'],
  ['no shape', () => loose({ me, records: { plot: { key: 'id' } } }), 'Standard Schema'],
  [
    'a shape that cannot say its fields',
    () => loose({ me, records: { plot: { shape: valibot.object({ id: valibot.string() }), key: 'id' } } }),
    'Standard JSON Schema',
  ],
  ['a shape that is no object', () => loose({ me, records: { plot: { shape: z.string(), key: 'id' } } }), 'an object with named fields'],
  [
    'a field that every object has',
    () => loose({ me, records: { plot: { shape: z.object({ id: z.string(), constructor: z.string() }), key: 'id' } } }),
    '"constructor"',
  ],
  [
    'roles where there are none',
    () =>
      loose({ me: { shape: z.object({ id: z.string() }), key: 'id' }, records }).rules({
        plot: (_plot: any, { role }: any) => ({ may: { read: [role('warden')] } }),
      }),
    'the claims have no roles',
  ],
]

describe('the same mistakes from JavaScript', () => {
  for (const [what, work, ...says] of MISTAKES) {
    it(`${what}: refused when the rulebook is built`, () => {
      const message = messageOf(work)
      for (const words of says) {
        const wanted = typeof words === 'string' ? words.split('|') : [words]
        expect(
          wanted.some((one) => (typeof one === 'string' ? message.includes(one) : one.test(message))),
          message,
        ).to.equal(true)
      }
    })
  }

  it('leaves nothing behind: a good rulebook builds after a bad one', () => {
    messageOf(() => provided((plot) => plot.open.is(true) && plot.state.is('let')))
    expect(clause((_plot, { anyone }) => anyone).warnings).to.deep.equal([])
  })
})

describe('what a rulebook is built from', () => {
  it('takes shapes of another library as well', () => {
    const shape = toStandardJsonSchema(
      valibot.object({ id: valibot.string(), holderId: valibot.nullable(valibot.string()), until: valibot.optional(valibot.date()) }),
    )
    const book = rulebook({ me, records: { plot: { shape, key: 'id', times: ['until'] } } }).rules({
      plot: (plot, { me: who, anyone }) => ({ may: { read: [anyone.provided(plot.holderId.is(who.id), plot.until.isAfter(now))] } }),
    })
    const view = book.for({ id: 'm-1', roles: [], siteIds: [] }, { now: new Date(1000) })
    expect(
      view
        .filter('plot', [
          { id: 'a', holderId: 'm-1', until: new Date(2000) },
          { id: 'b', holderId: 'm-1', until: new Date(500) },
        ])
        .map(({ id }) => id),
    ).to.deep.equal(['a'])
  })

  it('reads unions of objects, enumerations, nested and recursive objects', () => {
    const Node = z.object({
      id: z.string(),
      get children() {
        return z.array(Node)
      },
    })
    const shape = z.discriminatedUnion('kind', [
      z.object({ id: z.string(), kind: z.literal('bed'), size: z.int() }),
      z.object({ id: z.string(), kind: z.literal('shed'), size: z.number(), roof: z.string(), tree: Node }),
    ])
    const { fields } = rulebook({ me, records: { thing: { shape, key: 'id' } } }).model.types.thing as { fields: Record<string, unknown> }
    expect(fields.kind).to.deep.equal({ type: 'text', values: ['bed', 'shed'] })
    expect(fields.size).to.deep.equal({ type: 'number' })
    expect(fields.roof).to.deep.equal({ type: 'text', optional: true })
    expect(fields.tree).to.deep.include({ type: 'group', optional: true })
  })

  it('is immutable', () => {
    const begun = rulebook({ me, records })
    begun.rules({ plot: (_plot, { anyone }) => ({ may: { read: [anyone] } }) })
    expect(begun.for(null).condition('read', 'plot')).to.deep.equal({ kind: 'constant', value: false })
    expect(() => {
      ;(begun.model.types as any).plot = {}
    }).to.throw(TypeError)
  })

  it('can be written as functions that several rules share', () => {
    const isOpen = (plot: { open: { is(value: true): any } }) => plot.open.is(true)
    const book = rulebook({ me, records }).rules({
      plot: (plot, { anyone, signedIn }) => ({ may: { read: [anyone.provided(isOpen(plot))], update: [signedIn.provided(isOpen(plot))] } }),
    })
    expect(book.warnings).to.deep.equal([])
  })
})

describe('absence never grants: under not, a missing value must be spoken for', () => {
  const REFUSED: readonly [string, (plot: any, words: any) => unknown, string][] = [
    ['a field that may be missing', (plot, { signedIn }) => signedIn.provided(not(plot.holderId.is('m-1'))), 'plot.holderId.orElse(...)'],
    [
      'a claim, for a visitor',
      (plot, { anyone, me: who }) => anyone.provided(not(plot.state.is('let')), not(who.roles.has('warden'))),
      'signedIn.provided(...)',
    ],
    [
      'a claim that may be missing',
      (_plot, { signedIn, me: who }) => signedIn.provided(not(who.email.endsWith('@x.example'))),
      'me.email.orElse(...)',
    ],
    ['a role', (_plot, { anyone, role }) => anyone.provided(not(role('warden'))), 'signedIn.provided(...)'],
    ['not twice over', (plot, { signedIn }) => signedIn.provided(not(not(not(plot.until.isAfter(now))))), 'plot.until'],
    [
      'deep inside',
      (plot, { signedIn }) => signedIn.provided(anyOf(plot.open.is(true), not(allOf(plot.state.is('let'), plot.holderId.is('x'))))),
      'plot.holderId',
    ],
    [
      'a presence that settles nothing',
      (plot, { signedIn }) => signedIn.provided(anyOf(plot.holderId.isPresent(), not(plot.holderId.is('x')))),
      'plot.holderId',
    ],
    [
      'presence of another field',
      (plot, { signedIn }) => signedIn.provided(plot.until.isPresent(), not(plot.holderId.is('x'))),
      'plot.holderId',
    ],
    [
      'a stand-in that may be missing itself',
      (plot, { signedIn, me: who }) => signedIn.provided(not(plot.holderId.orElse(who.email).is('x'))),
      'plot.holderId',
    ],
    [
      'a nested field of an object that may be missing',
      (plot, { signedIn }) => signedIn.provided(not(plot.address.town.is('Ely'))),
      'plot.address.town',
    ],
  ]
  for (const [what, write, says] of REFUSED) {
    it(`refuses ${what}, and says what to write`, () => {
      const message = messageOf(() => clause(write))
      expect(message).to.include('missing data must never grant access').and.include(says)
    })
  }

  const ACCEPTED: readonly [string, (plot: any, words: any) => unknown][] = [
    ['a field that is never missing', (plot, { anyone }) => anyone.provided(not(plot.state.is('let')))],
    ['orElse', (plot, { anyone }) => anyone.provided(not(plot.holderId.orElse('nobody').is('m-1')))],
    ['isPresent beside it', (plot, { anyone }) => anyone.provided(plot.holderId.isPresent(), not(plot.holderId.is('m-1')))],
    ['isMissing as the alternative', (plot, { anyone }) => anyone.provided(anyOf(plot.holderId.isMissing(), not(plot.holderId.is('m-1'))))],
    ['isMissing inside the not', (plot, { anyone }) => anyone.provided(not(anyOf(plot.holderId.isMissing(), plot.holderId.is('m-1'))))],
    ['a required claim of somebody signed in', (plot, { signedIn, me: who }) => signedIn.provided(not(who.siteIds.has(plot.state)))],
    [
      'a claim beside a standing that needs it',
      (plot, { standing: { holder }, me: who }) => holder.provided(not(who.roles.has('warden')), plot.open.is(true)),
    ],
    ['not twice, which is not at all', (plot, { anyone }) => anyone.provided(not(not(plot.holderId.is('m-1'))))],
  ]
  for (const [what, write] of ACCEPTED) {
    it(`accepts ${what}`, () => expect(() => clause(write)).not.to.throw())
  }
})

it('anyone may be named and not used, unlike what restricts', () => {
  expect(() => clause((_plot, { standing: { holder }, anyone: _anyone }) => holder)).not.to.throw()
  expect(() => clause((_plot, { standing: { holder }, signedIn: _signedIn }) => holder)).to.throw(/never used/)
})
