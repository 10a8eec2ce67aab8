import { expect } from 'chai'
import { isPachterError, now, rulebook } from 'pachter'
import { inMemory, openStore, type Store } from 'pachter/store'
import { z } from 'zod'

const Session = z.object({ id: z.string(), email: z.string().optional(), roles: z.array(z.enum(['warden'])) })
const Entry = z.object({
  id: z.string(),
  authorId: z.string(),
  authorEmail: z.string().optional(),
  text: z.string(),
  source: z.string().optional(),
  writtenAt: z.iso.datetime(),
  editedAt: z.date().optional(),
})
const NOW = new Date('2026-06-15T09:00:00Z')
const begun = rulebook({
  me: { shape: Session, key: 'id' },
  records: { entry: { shape: Entry, key: 'id', times: ['writtenAt'] }, note: { shape: Entry, key: 'id' } },
})
const book = begun.standings({ entry: (entry, { me }) => ({ author: entry.authorId.is(me.id) }) }).rules({
  entry: (_entry, { me, standing: { author }, role, signedIn }) => ({
    may: {
      read: [signedIn],
      create: [author.only('text'), role('warden').overriding('authorId', 'id')],
      update: [author.only('text'), role('warden').overriding('editedAt')],
    },
    stamps: { create: { authorId: me.id, writtenAt: now, source: 'app' }, update: { editedAt: now } },
  }),
  note: (_note, { me, anyone }) => ({
    may: { read: [anyone], create: [anyone], update: [anyone] },
    stamps: { create: { authorEmail: me.email }, update: { authorEmail: me.email } },
  }),
})

const INES = { id: 'm-1', roles: [] }
const WARDEN = { id: 'm-2', roles: ['warden' as const] }
const OLD = { id: 'e-1', authorId: 'm-1', text: 'Rain', writtenAt: '2026-01-01T00:00:00.000Z' }

describe('stamps', () => {
  let store: Store<any>
  beforeEach(() => {
    store = openStore(book, inMemory({ entry: [OLD], note: [OLD] }), { now: NOW, newKey: () => 'e-9' }) as Store<any>
  })
  const failure = async (work: Promise<unknown>) => {
    const before = await store.asSystem('test').list('entry')
    const error = await work.then(
      () => 'it went through',
      (caught: unknown) => caught,
    )
    expect(await store.asSystem('test').list('entry')).to.deep.equal(before)
    return isPachterError(error) ? `${error.code}: ${error.message}` : error
  }
  const stamped = { id: 'e-9', authorId: 'm-1', text: 'Sun', writtenAt: NOW.toISOString(), source: 'app' }

  it('are set at creation for every creator', async () => {
    expect(await store.for(INES).create('entry', { text: 'Sun' })).to.deep.equal(stamped)
  })

  it('may be sent by a client only as they would be set', async () => {
    expect(
      await store.for(INES).create('entry', {
        text: 'Sun',
        authorId: 'm-1',
        writtenAt: '2026-06-15T09:00:00Z',
      }),
    ).to.deep.equal(stamped)
    expect(await failure(store.for(INES).create('entry', { text: 'Sun', authorId: 'm-2' }))).to.equal('REFUSED: You may not send authorId.')
    expect(await failure(store.for(INES).create('entry', { text: 'Sun', writtenAt: '2020-01-01T00:00:00Z' }))).to.equal(
      'REFUSED: You may not send writtenAt.',
    )
    expect(await failure(store.for(INES).create('entry', { text: 'Sun', source: null }))).to.equal('REFUSED: You may not send source.')
  })

  it('may be supplied where a clause says so, and so may the key', async () => {
    expect(await store.for(WARDEN).create('entry', { id: 'e-7', text: 'Sun', authorId: 'm-1' })).to.include({ id: 'e-7', authorId: 'm-1' })
    expect(await failure(store.for(INES).create('entry', { id: 'e-8', text: 'Sun' }))).to.include('INVALID')
    expect(await failure(store.for(WARDEN).create('entry', { id: 'e-1', text: 'Sun' })), 'a key that is taken tells nothing').to.equal(
      'REFUSED: You may not create an entry.',
    )
  })

  it('are set on an update that changes something, after the fields were checked', async () => {
    expect(await store.for(INES).update('entry', 'e-1', { text: 'Sun' })).to.deep.equal({ ...OLD, text: 'Sun', editedAt: NOW })
    expect(await store.for(INES).update('entry', 'e-1', { text: 'Sun' })).to.deep.equal({ ...OLD, text: 'Sun', editedAt: NOW })
    const untouched = openStore(book, inMemory({ entry: [OLD] }), { now: NOW }).for(INES)
    expect(await untouched.update('entry', 'e-1', { text: 'Rain' }), 'nothing changes, nothing is stamped').to.deep.equal(OLD)
  })

  it('may be sent on update, too, as they would be set', async () => {
    expect(await store.for(INES).update('entry', 'e-1', { text: 'Sun', editedAt: NOW })).to.deep.equal({
      ...OLD,
      text: 'Sun',
      editedAt: NOW,
    })
  })

  it('cannot be forged on update, though a whole record may be sent back', async () => {
    await store.asSystem('test').update('entry', 'e-1', { editedAt: new Date(0) })
    expect(await failure(store.for(INES).update('entry', 'e-1', { text: 'Sun', editedAt: new Date(5) }))).to.equal(
      'REFUSED: You may not change editedAt.',
    )
    expect(await store.for(INES).update('entry', 'e-1', { ...OLD, text: 'Sun', editedAt: new Date(0) })).to.deep.include({
      text: 'Sun',
      editedAt: NOW,
    })
    expect(await store.for(WARDEN).update('entry', 'e-1', { text: 'x', editedAt: new Date(7) })).to.deep.include({ editedAt: new Date(7) })
  })

  it('use one instant for a whole call, in rules and filters too', async () => {
    let ticks = 0
    const dated = begun.rules({
      entry: (entry, { anyone, after }) => ({
        may: {
          read: [anyone],
          create: [anyone.provided(entry.writtenAt.is(now))],
          update: [anyone.provided(after.editedAt.is(now))],
        },
        stamps: { create: { writtenAt: now }, update: { editedAt: now } },
      }),
    })
    const ticking = openStore(dated, inMemory(), { now: () => new Date(NOW.getTime() + ++ticks), newKey: () => 'e-9' }).for(INES)
    await ticking.create('entry', { authorId: 'm-1', text: 'Sun' })
    const first = (await ticking.update('entry', 'e-9', { text: 'Rain' })).editedAt
    const second = (await ticking.update('entry', 'e-9', { text: 'Sun' })).editedAt
    expect(second, 'and another one for the next').not.to.deep.equal(first)
  })

  it('refuse a write for which their value is missing', async () => {
    const note = { authorId: 'm-1', text: 'Hi', writtenAt: NOW.toISOString() }
    expect(await failure(store.for(INES).create('note', note))).to.include('REFUSED')
    expect(await failure(store.for(INES).update('note', 'e-1', { text: 'x' }))).to.include('REFUSED')
    expect(await store.for({ ...INES, email: 'i@x.example' }).create('note', note)).to.include({ authorEmail: 'i@x.example' })
  })

  it('apply to the system too, which may supply them', async () => {
    const system = store.asSystem('import')
    expect(await system.create('entry', { text: 'Sun', authorId: 'm-5' })).to.deep.equal({ ...stamped, authorId: 'm-5' })
    expect(await system.create('entry', { ...OLD, id: 'e-5' })).to.deep.equal({ ...OLD, id: 'e-5', source: 'app' })
    expect(await system.update('entry', 'e-1', { text: 'Sun' })).to.deep.include({ editedAt: NOW })
    expect(await system.update('entry', 'e-1', { text: 'Snow', editedAt: new Date(5) })).to.deep.include({ editedAt: new Date(5) })
    expect(await failure(system.create('entry', { text: 'Sun' })), 'there is nobody to be the author').to.include('INVALID')
  })

  it('are checked when the rulebook is built', () => {
    const build = (stamps: (me: any) => unknown, clause = (words: any) => words.anyone) =>
      (begun as any).rules({ entry: (_entry: any, words: any) => ({ may: { create: [clause(words)] }, stamps: stamps(words.me) }) })
    expect(() => build(() => ({ create: { autorId: 'x' } }))).to.throw('Did you mean "authorId"')
    expect(() => build(() => ({ creat: {} }))).to.throw('Did you mean "create"')
    expect(() => build((me) => ({ create: { writtenAt: me.id } }))).to.throw('cannot be stamped')
    expect(() => build(() => ({ create: { authorId: 5 } }))).to.throw('not a value of type text')
    expect(() => build(() => ({ create: { id: 'x' } }))).to.throw('the key cannot be stamped')
    expect(() =>
      build(
        () => ({}),
        ({ anyone }) => anyone.overriding('text'),
      ),
    ).to.throw('overriding')
    expect(() =>
      build(
        () => ({ create: { authorId: 'x' } }),
        ({ anyone }) => anyone.overriding('authorID'),
      ),
    ).to.throw('Did you mean "authorId"')
  })
})

describe('a stamp of null', () => {
  const Note = z.object({ id: z.string(), text: z.string(), approvedAt: z.date().nullable(), by: z.string().optional() })
  const approvals = rulebook({
    me: { shape: Session, key: 'id' },
    records: { note: { shape: Note, key: 'id' } },
  }).rules({
    note: (_note, { me, signedIn, role }) => ({
      may: {
        read: [signedIn],
        create: [signedIn],
        update: [signedIn.only('text'), role('warden').only('text').overriding('approvedAt', 'by')],
      },
      stamps: { create: { approvedAt: null, by: null }, update: { approvedAt: null, by: me.id } },
    }),
  })

  it('clears what was there with each change, unless a clause overrides it', async () => {
    const store = openStore(approvals, inMemory())
    const [ines, warden] = [store.for(INES), store.for(WARDEN)]
    const { id } = await ines.create('note', { text: 'Rain' } as never)
    expect(await ines.get('note', id as string)).to.deep.equal({ id, text: 'Rain', approvedAt: null })
    await warden.update('note', id as string, { approvedAt: NOW })
    expect((await ines.get('note', id as string)).approvedAt).to.deep.equal(NOW)
    await ines.update('note', id as string, { text: 'Sun' })
    expect(await ines.get('note', id as string)).to.deep.equal({ id, text: 'Sun', approvedAt: null, by: 'm-1' })
    const refused = await ines.update('note', id as string, { approvedAt: NOW }).catch((error: unknown) => error)
    expect(isPachterError(refused, 'REFUSED')).to.equal(true)
    expect(approvals.for(INES).verdict('create', 'note', { id: 'x', text: 'x', approvedAt: NOW }).allowed).to.equal(false)
    expect(approvals.for(INES).verdict('create', 'note', { id: 'x', text: 'x', approvedAt: null }).allowed).to.equal(true)
  })

  it('is refused on a field that is required', () => {
    expect(() => begun.rules({ note: () => ({ stamps: { create: { text: null as never } } }) })).to.throw('"text" is required by its shape')
  })
})
