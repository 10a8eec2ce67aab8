import { expect } from 'chai'
import fc from 'fast-check'
import { isPachterError } from 'pachter'
import { conditionFromJson } from 'pachter/condition'
import { inMemory, openStore } from 'pachter/store'
import { generateWorld } from '../../examples/world/generate.js'
import { openWorld, today } from '../../examples/world/open.js'
import { people } from '../../examples/world/people.js'
import { book } from '../../examples/world/rulebook.js'
import { tries } from '../support/tries.js'

const RUNS = tries(2500, 8000)

describe('whatever is thrown at it', () => {
  const odd = fc.oneof(
    fc.constantFrom<unknown>(
      null,
      undefined,
      '',
      ' ',
      '__proto__',
      'constructor',
      'toString',
      0,
      -1,
      Number.NaN,
      Number.POSITIVE_INFINITY,
      true,
      [],
      {},
      'p-01',
      'id',
      '-id',
      'a\0',
      '\ud800',
      10n,
      Symbol.iterator,
      () => 1,
      new Date(Number.NaN),
    ),
    fc.anything({ withBigInt: true, withDate: true, withNullPrototype: true, maxDepth: 2 }),
  )
  const type = fc.oneof({ weight: 4, arbitrary: fc.constantFrom(...Object.keys(book.model.types)) }, { weight: 1, arbitrary: odd })
  const key = fc.oneof(fc.constantFrom('p-01', 'p-02', 'e-01', 'm-01', 'n-01', 'v-01'), odd)
  const field = fc.oneof(
    fc.constantFrom(...new Set(Object.values(book.model.types).flatMap((one) => Object.keys(one.fields)))),
    fc.constantFrom('__proto__', 'constructor', 'hasOwnProperty', 'x y'),
  )
  const body = fc.oneof(
    { weight: 4, arbitrary: fc.array(fc.tuple(field, odd), { maxLength: 4 }).map((entries) => Object.fromEntries(entries)) },
    { weight: 1, arbitrary: odd },
  )
  const query = fc.oneof(
    fc.record(
      {
        sort: fc.oneof(fc.array(fc.oneof(field, odd), { maxLength: 2 }), odd),
        limit: odd,
        size: odd,
        after: odd,
        withActions: fc.oneof(fc.array(fc.oneof(fc.constantFrom('update', 'confirm'), odd), { maxLength: 2 }), odd),
        withStandings: odd,
        fields: fc.oneof(fc.array(fc.oneof(field, odd), { maxLength: 2 }), odd),
        where: fc.oneof(
          odd,
          fc.constantFrom<any>(
            (record: any) => record.id.is('p-01'),
            (record: any) => record.plot.holderId.is('m-08'),
            (record: any) => record.shares.some((share: any) => share.level.is('tend')),
            (record: any) => record.ancestors('parent').some(),
            (record: any) => record.shares.some(() => record),
          ),
        ),
      },
      { requiredKeys: [] },
    ),
    odd,
  )
  const who = fc.oneof({ weight: 6, arbitrary: fc.constantFrom<unknown>(people.greta, people.pavel, null) }, { weight: 1, arbitrary: odd })
  const what = fc.constantFrom(
    'list',
    'get',
    'create',
    'update',
    'delete',
    'page',
    'count',
    'countBy',
    'updateMany',
    'deleteMany',
    'verdict',
    'may',
    'has',
    'routine',
    'transaction',
  )

  it(`${RUNS.toLocaleString('en')} random calls end in an answer or in an error of ours, and change nothing that they may not`, async () => {
    const memory = openStore(book, inMemory(generateWorld()), { now: today })
    const { store: database } = await openWorld()
    const everything = async (store: any) => {
      const all = []
      for (const name of Object.keys(book.model.types)) all.push(await store.asSystem('compare').list(name))
      return all
    }
    // Greta, Pavel and a visitor may create and change nothing here but entries and remarks of their own, and Greta herself.
    const foreign = async (store: any) =>
      JSON.stringify(
        (await everything(store)).map((rows: any[]) =>
          rows.filter((row) => row.authorId !== 'm-08' && row.authorId !== 'm-99' && row.id !== 'm-08' && row.id !== 'j-04'),
        ),
      )
    const before = await foreign(memory)
    let turn = 0
    await fc.assert(
      fc.asyncProperty(who, what, type, key, body, query, async (me, action, name, id, sent, asked) => {
        // One call in ten goes to the database: the rules are the same, and memory is faster.
        const store: any = turn++ % 10 === 0 ? database : memory
        try {
          const mine = store.for(me)
          if (action === 'list') await mine.list(name, asked)
          else if (action === 'create') await mine.create(name, sent)
          else if (action === 'update') await mine.update(name, id, sent)
          else if (action === 'page' || action === 'count') await mine[action](name, asked)
          else if (action === 'countBy') await mine.countBy(name, id, asked)
          else if (action === 'updateMany') await mine.updateMany(name, asked, sent)
          else if (action === 'deleteMany') await mine.deleteMany(name, asked)
          else if (action === 'verdict') await mine.verdict(id, name, 'p-01')
          else if (action === 'may') await mine.may(id, name)
          else if (action === 'routine') await mine.routine(name, (inside: any) => inside.update(name, id, sent))
          else if (action === 'transaction') await mine.transaction((inside: any) => inside.update(name, id, sent))
          else await mine[action](name, id)
        } catch (error) {
          expect(isPachterError(error), error instanceof Error ? error.stack : String(error)).to.equal(true)
          expect((error as any).code, (error as Error).message).not.to.equal('STORE_FAILED')
        }
      }),
      { numRuns: RUNS },
    )
    expect(await foreign(memory)).to.equal(before)
    expect(await foreign(database)).to.equal(before)
    expect(({} as any).roles).to.equal(undefined)
  })

  it('conditions in JSON too', () => {
    const word = fc.constantFrom(
      'kind',
      'of',
      'by',
      'left',
      'right',
      'term',
      'path',
      'value',
      'type',
      'allOf',
      'compare',
      'not',
      'field',
      'is',
      'text',
      'record',
    )
    const json = fc.letrec<{ node: unknown }>((tie) => ({
      node: fc.oneof(
        { maxDepth: 4 },
        word,
        fc.boolean(),
        fc.constant(null),
        fc.array(tie('node'), { maxLength: 3 }),
        fc.dictionary(word, tie('node'), { maxKeys: 4 }),
      ),
    })).node
    fc.assert(
      fc.property(fc.oneof(json, fc.anything()), (given) => {
        try {
          conditionFromJson(given)
        } catch (error) {
          expect(isPachterError(error, 'BAD_CONDITION'), String(error)).to.equal(true)
        }
      }),
      { numRuns: tries(300, 2000) },
    )
  })
})
