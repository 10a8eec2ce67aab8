// Guarantees of rulebooks that are not ours: proved where rules keep them, refuted with an example where they do not.
import { expect } from 'chai'
import { allOf, anyOf, forever, not, now, rulebook, toMany, toOne } from 'pachter'
import { driftForEveryone, idleRules, type Judged, judgeGuarantees } from 'pachter/internal/prove'
import { z } from 'zod'

const id = z.string()
const Role = z.enum(['lead', 'nurse', 'clerk'])

/** A ward: patients, who are assigned to nurses, with notes and visits. */
const ward = rulebook({
  me: { shape: z.object({ id }), key: 'id', links: { worker: toOne('worker', 'id') }, roles: (me) => me.worker.roles },
  records: {
    worker: { shape: z.object({ id, roles: z.array(Role), wardIds: z.array(id), suspended: z.boolean() }), key: 'id' },
    patient: {
      shape: z.object({ id, wardId: id, nurseId: id.nullable(), state: z.enum(['in', 'out']), weight: z.number(), diagnosis: z.string() }),
      key: 'id',
      links: { assignments: toMany('assignment', 'patientId') },
    },
    assignment: {
      shape: z.object({ id, patientId: id, workerId: id, until: z.date().nullable() }),
      key: 'id',
      links: { patient: toOne('patient', 'patientId') },
    },
    note: {
      shape: z.object({ id, patientId: id, authorId: id, text: z.string() }),
      key: 'id',
      links: { patient: toOne('patient', 'patientId') },
    },
  },
})
  .gate(({ me }) => not(me.worker.suspended.orElse(false).is(true)))
  .routines({ discharge: ({ role }) => [role('lead')] })
  .standings({
    patient: (patient, { me }) => ({
      nurse: patient.nurseId.is(me.id),
      assigned: patient.assignments.some((one) => allOf(one.workerId.is(me.id), one.until.orElse(forever).isAfter(now))),
      lead: allOf(me.worker.roles.has('lead'), me.worker.wardIds.has(patient.wardId)),
    }),
    note: (note, { me }) => ({ author: note.authorId.is(me.id) }),
  })
  .rules({
    worker: (_worker, { role }) => ({ may: { read: [role('lead')], update: [role('lead').only('wardIds')] } }),
    patient: (patient, { standing: { nurse, assigned, lead }, role }) => ({
      may: {
        read: [nurse, assigned, lead, role('clerk').except('diagnosis')],
        update: [nurse.only('weight', 'diagnosis'), lead.except('state'), role('lead').only('state').within('discharge')],
        delete: [lead.provided(patient.state.is('out'))],
      },
      vetoes: [{ actions: ['update'], provided: patient.state.is('out'), unless: role('lead'), message: 'The patient has left.' }],
    }),
    assignment: (_assignment, { role }) => ({ may: { read: [role('lead')], create: [role('lead')], delete: [role('lead')] } }),
    note: (note, { standing: { author }, me }) => ({
      may: {
        read: [author, note.patient.standing.nurse],
        create: [author.provided(anyOf(note.patient.standing.nurse, note.patient.standing.assigned))],
        update: [author.only('text')],
      },
      stamps: { create: { authorId: me.id } },
    }),
  })

/** What is found out about guarantees, by their titles. */
function judged(book: { readonly model: Parameters<typeof judgeGuarantees>[0] }): { [title: string]: Judged } {
  return Object.fromEntries([...judgeGuarantees(book.model)].map(({ guarantee, judged }) => [guarantee.title, judged]))
}

const guaranteed = ward.guarantees({
  worker: (worker, { role, me }) => [
    { never: 'update', fields: ['roles', 'suspended'], titled: 'roles are not changed here' },
    { never: 'read', unless: role('lead'), titled: 'only leads see workers' },
    { never: 'update', fields: ['wardIds'], unless: not(worker.id.is(me.id)), titled: 'nobody gives themselves a ward' },
  ],
  patient: (patient, { standing: { nurse, assigned, lead }, role, me, after, signedIn }) => [
    { never: 'read', unless: signedIn, titled: 'visitors see no patient' },
    { never: 'read', fields: ['diagnosis'], unless: nurse.or(assigned).or(lead), titled: 'who sees a diagnosis' },
    { never: 'read', fields: ['diagnosis'], unless: nurse.or(lead), titled: 'assigned workers see no diagnosis' },
    { never: 'delete', provided: patient.state.is('in'), titled: 'no patient is deleted while in' },
    { never: 'delete', titled: 'no patient is deleted' },
    { never: 'update', provided: me.worker.suspended.is(true), titled: 'suspended workers change nothing' },
    { never: 'update', fields: ['wardId'], unless: lead, titled: 'only its lead moves a patient' },
    { never: 'update', fields: ['nurseId'], provided: after.nurseId.is(me.id), titled: 'nobody takes a patient on themselves' },
    { never: 'update', fields: ['state'], unless: role('lead'), titled: 'leads discharge' },
    { never: 'update', fields: ['weight'], provided: patient.state.is('out'), unless: role('lead'), titled: 'the veto holds' },
  ],
  note: (note, { standing: { author } }) => [
    { never: 'create', unless: author, titled: 'nobody signs for another' },
    { never: 'create', unless: note.patient.standing.nurse, titled: 'only nurses write notes' },
    { never: 'update', fields: ['authorId', 'patientId'], titled: 'a note stays where it is' },
    { never: 'read', unless: author, titled: 'notes are private' },
  ],
})

const EXPECTED: { readonly [title: string]: Judged['outcome'] } = {
  'roles are not changed here': 'proved',
  'only leads see workers': 'proved',
  'nobody gives themselves a ward': 'refuted',
  'visitors see no patient': 'proved',
  'who sees a diagnosis': 'proved',
  'assigned workers see no diagnosis': 'refuted',
  'no patient is deleted while in': 'proved',
  'no patient is deleted': 'refuted',
  'suspended workers change nothing': 'proved',
  'only its lead moves a patient': 'proved',
  'nobody takes a patient on themselves': 'refuted',
  'leads discharge': 'proved',
  'the veto holds': 'proved',
  'nobody signs for another': 'proved',
  'only nurses write notes': 'refuted',
  'a note stays where it is': 'proved',
  'notes are private': 'refuted',
}

describe('guarantees', () => {
  const found = judged(guaranteed)

  for (const [title, outcome] of Object.entries(EXPECTED))
    it(`${outcome}: ${title}`, () => {
      expect(found[title]?.outcome, JSON.stringify(found[title])).to.equal(outcome)
    })

  it('come with an example that the rules themselves allow, in records that fit their shapes', () => {
    for (const { type, guarantee, judged } of judgeGuarantees(guaranteed.model)) {
      if (judged.outcome !== 'refuted') continue
      const { me, records, now: at, record, becomes } = judged.example
      const { title, never } = guarantee
      const routines = ['discharge', undefined] as const
      const allowed = routines.some((within) => {
        const options = { records: records as never, now: new Date(at), ...(within === undefined ? {} : { within }) }
        return guaranteed.for(me as never, options).verdict(never as 'read', type as 'patient', record as never, becomes as never).allowed
      })
      expect(allowed, title).to.equal(true)
      for (const [name, rows] of Object.entries(records))
        for (const row of rows) {
          const result = guaranteed.model.types[name]?.shape['~standard'].validate(row)
          expect(result, name).to.be.an('object')
          expect((result as { readonly issues?: unknown }).issues, `${title}, ${name} ${JSON.stringify(row)}`).to.equal(undefined)
        }
      // Small enough to read.
      expect(Object.values(records).flat().length, title).to.be.at.most(3)
    }
  })

  it('are of the rules alone: they change no decision', () => {
    const me = { id: 'w-1' }
    const patient = { id: 'p-1', wardId: 'x', nurseId: 'w-1', state: 'in' as const, weight: 1, diagnosis: '' }
    const records = { worker: [], assignment: [], patient: [patient] }
    const verdicts = [ward, guaranteed].map((book) => book.for(me, { records }).verdict('read', 'patient', patient))
    expect(verdicts[0]).to.deep.equal(verdicts[1])
  })

  it('say what is wrong with them', () => {
    const wrong: readonly [given: unknown, says: RegExp][] = [
      [{ patiant: () => [] }, /Did you mean "patient"\?/],
      [{ patient: {} }, /guarantees of patient: needs a function/],
      [{ patient: () => ({}) }, /must return a list/],
      [{ patient: () => [{ fields: ['weight'] }] }, /say what must never be possible/],
      [{ patient: () => [{ never: 'udpate' }] }, /Did you mean "update"\?/],
      [{ patient: () => [{ never: 'update', fields: ['wieght'] }] }, /Did you mean "weight"\?/],
      [{ patient: () => [{ never: 'delete', fields: ['weight'] }] }, /"delete" has no fields/],
      [{ patient: () => [{ never: 'read', fields: ['id'] }] }, /"id" is the key/],
      [{ patient: () => [{ never: 'read', unles: 1 }] }, /unles/],
      [{ patient: () => [{ never: 'read' }, { never: 'read' }] }, /occurs twice/],
      [
        { patient: (_patient: unknown, { after }: any) => [{ never: 'read', provided: after.weight.isMoreThan(1) }] },
        /can be used for update only/,
      ],
      [{ patient: () => [{ never: 'read', titled: ' ' }] }, /needs a text/],
    ]
    for (const [given, says] of wrong) expect(() => ward.guarantees(given as never), String(says)).to.throw(says)
  })
})

describe('guarantees of privileges, routines, and what is done within them', () => {
  const holding = ward.privileges({ openStore: ({ role }) => [role('lead', 'clerk')], ring: ({ signedIn }) => [signedIn] }).guarantees(
    {
      patient: (_patient, { role }) => [
        { never: 'update', fields: ['state'], within: false, titled: 'nobody discharges outside of the routine' },
        { never: 'update', fields: ['state'], within: 'discharge', titled: 'nobody discharges' },
        { never: 'update', within: 'discharge', unless: role('lead'), titled: 'leads alone act within it' },
        { never: 'update', within: false, unless: role('lead'), titled: 'leads alone act' },
      ],
    },
    {
      privileges: ({ role, me, signedIn }) => [
        { never: 'openStore', unless: role('lead', 'clerk') },
        { never: 'openStore', unless: role('lead'), titled: 'leads have the store' },
        { never: 'openStore', provided: me.worker.suspended.is(true), titled: 'suspended workers have nothing' },
        { never: 'ring', unless: signedIn, titled: 'visitors do not ring' },
      ],
      routines: ({ role }) => [{ never: 'discharge', unless: role('lead') }],
    },
  )

  it('are judged as the others', () => {
    const outcomes = Object.fromEntries(Object.entries(judged(holding)).map(([title, { outcome }]) => [title, outcome]))
    expect(outcomes).to.deep.equal({
      'nobody has the privilege openStore, unless role lead or clerk': 'proved',
      'leads have the store': 'refuted',
      'suspended workers have nothing': 'proved',
      'visitors do not ring': 'proved',
      'nobody calls discharge, unless role lead': 'proved',
      'nobody discharges outside of the routine': 'proved',
      'nobody discharges': 'refuted',
      'leads alone act within it': 'proved',
      'leads alone act': 'refuted',
    })
    const { example } = judged(holding)['leads have the store'] as Extract<Judged, { readonly outcome: 'refuted' }>
    expect(holding.for(example.me as never, { records: example.records as never }).has('openStore')).to.equal(true)
  })

  it('say what is wrong with them', () => {
    const wrong: readonly [more: unknown, says: RegExp][] = [
      [{ privileges: () => [{ never: 'openStor' }] }, /Did you mean "openStore"\?/],
      [{ routines: () => [{ never: 'openStore' }] }, /there is no routine "openStore"/],
      [{ privileges: [] }, /needs a function/],
      [{ privileges: () => [{ never: 'ring', fields: ['x'] }] }, /fields/],
      [{ rings: () => [] }, /rings/],
    ]
    for (const [more, says] of wrong) expect(() => holding.guarantees({}, more as never), String(says)).to.throw(says)
    expect(() => holding.guarantees({ patient: () => [{ never: 'update', within: 'discarge' as 'discharge' }] })).to.throw(
      /Did you mean "discharge"\?/,
    )
  })
})

describe('rules that do nothing', () => {
  const idle = (book: { readonly model: Parameters<typeof idleRules>[0] }) =>
    [...idleRules(book.model)]
      .filter((rule) => rule !== undefined)
      .map(({ type, action, what, why, by }) => ({ type, action, what, why, by }))

  it('are found: those that can never hold, and those that others imply', () => {
    expect(idle(ward)).to.deep.equal([])
    const odd = rulebook({
      me: { shape: z.object({ id, level: z.int() }), key: 'id' },
      records: {
        file: { shape: z.object({ id, ownerId: id, state: z.enum(['open', 'shut']), size: z.int(), label: z.string() }), key: 'id' },
      },
    }).rules({
      file: (file, { me, anyone, signedIn }) => ({
        gate: { delete: file.state.is('open') },
        may: {
          read: [signedIn, anyone.provided(file.ownerId.is(me.id)), anyone.provided(file.label.is('public')).only('label')],
          update: [
            signedIn.provided(me.level.isAtLeast(3)).only('size'),
            signedIn.provided(me.level.isMoreThan(2)).except('label'),
            anyone.provided(file.state.is('open'), file.state.is('shut')),
          ],
          delete: [anyone.provided(file.state.is('open'), file.ownerId.is(me.id))],
        },
        vetoes: [{ actions: ['delete'], provided: file.state.is('shut'), message: 'It is shut.' }],
      }),
    })
    expect(idle(odd)).to.deep.equal([
      { type: 'file', action: 'read', what: 'clause', why: 'implied', by: ['signed in'] },
      {
        type: 'file',
        action: 'update',
        what: 'clause',
        why: 'implied',
        by: ['signed in, provided my level is more than 2; all but label'],
      },
      { type: 'file', action: 'update', what: 'clause', why: 'never', by: [] },
      { type: 'file', action: 'delete', what: 'veto', why: 'implied', by: [] },
      { type: 'file', action: 'delete', what: 'gate', why: 'implied', by: [] },
    ])
  })
})

describe('drift for everyone', () => {
  const changes = (before: typeof ward, after: typeof ward) =>
    [...driftForEveryone(before.model, after.model)].flatMap(({ widening }) => {
      if (widening === undefined) return []
      const { permission, change, example } = widening
      const named =
        'kind' in permission ? permission.name : [permission.type, permission.action, permission.field].filter(Boolean).join(' ')
      return [`${change} ${named}${example === undefined ? ' ?' : ''}`]
    })

  it('proves that a rulebook is the same as itself', () => {
    expect(changes(ward, ward)).to.deep.equal([])
  })

  it('tells of what one of the two does not have at all', () => {
    const discharging = ward.privileges({ openArchive: ({ role }) => [role('lead')] })
    expect(changes(discharging as never, ward)).to.deep.equal(['lost openArchive'])
    expect(changes(ward, discharging as never)).to.deep.equal(['gained openArchive'])
    const { note, ...others } = ward.model.types
    const without = { model: { ...ward.model, types: others } } as unknown as typeof ward
    const lost = changes(ward, without)
    expect(lost).to.include.members(['lost note read', 'lost note create', 'lost note update text']).and.not.include('lost note delete')
    expect(note?.rules?.may.delete).to.deep.equal([])
  })

  it('finds what a clause or a veto more or less does, in both directions', () => {
    const without = ward.without('patient', 'assigned', 'read') as typeof ward
    // Also what a lead of another ward may discharge, because they see it as an assigned worker.
    const lost = ['read', 'read wardId', 'read nurseId', 'read state', 'read weight', 'read diagnosis', 'update', 'update state']
    expect(changes(ward, without)).to.deep.equal(lost.map((one) => `lost patient ${one}`))
    expect(changes(without, ward)).to.deep.equal(lost.map((one) => `gained patient ${one}`))
    const veto = ward.model.types.patient?.rules?.vetoes[0]?.title as string
    const open = ward.without('patient', veto, 'update') as typeof ward
    expect(changes(ward, open)).to.deep.equal(['update', 'update weight', 'update diagnosis'].map((one) => `gained patient ${one}`))
  })
})
