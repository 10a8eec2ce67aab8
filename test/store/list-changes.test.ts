import { expect } from 'chai'
import { isPachterError, rulebook } from 'pachter'
import { openStore } from 'pachter/store'
import { z } from 'zod'
import { backends } from '../support/backends.js'

const Job = z.object({ id: z.string(), title: z.string(), helperIds: z.array(z.string()) })
const book = rulebook({ me: { shape: z.object({ id: z.string() }), key: 'id' }, records: { job: { shape: Job, key: 'id' } } }).rules({
  job: (job, { me, after, signedIn }) => ({
    may: {
      read: [signedIn],
      update: [
        signedIn.provided(after.helperIds.adds(job.helperIds, me.id)).only('helperIds').afterwards(signedIn).titled('joins'),
        signedIn.provided(after.helperIds.removes(job.helperIds, me.id)).only('helperIds').afterwards(signedIn).titled('leaves'),
      ],
    },
  }),
})

for (const [where, open] of Object.entries(backends(book)))
  describe(`people who may add themselves to a list and remove themselves, ${where}`, () => {
    const CASES: readonly [was: string[], becomes: string[], who: string, allowed: boolean][] = [
      [[], ['ann'], 'ann', true],
      [['bob'], ['bob', 'ann'], 'ann', true],
      [['bob'], ['ann', 'bob'], 'ann', true],
      [['bob', 'ann'], ['bob'], 'ann', true],
      // Once each, and nobody else.
      [['bob'], ['ann'], 'ann', false],
      [['bob'], ['bob', 'ann', 'ann'], 'ann', false],
      [['bob'], ['bob', 'cem'], 'ann', false],
      [['bob', 'ann'], [], 'ann', false],
      [['ann', 'ann'], ['ann'], 'ann', true],
      // Letter by letter, whatever the database takes to be alike.
      [['Ann'], ['Ann', 'ann'], 'ann', true],
      [['Ann'], ['ann', 'ann'], 'ann', false],
      [['Ann', 'ann'], ['Ann'], 'ann', true],
      [['Ann', 'ann'], ['ann'], 'ann', false],
      [['bob'], ['bob', 'Ann'], 'ann', false],
      [['ann '], ['ann ', 'ann'], 'ann', true],
    ]
    for (const [was, becomes, who, allowed] of CASES)
      it(`${who} changes [${was.join()}] to [${becomes.join()}]: ${allowed ? 'allowed' : 'refused'}`, async () => {
        const store = openStore(book, await open())
        const system = store.asSystem('fill')
        await system.create('job', { id: 'j', title: 'Dig', helperIds: was })
        const change = store.for({ id: who }).update('job', 'j', { helperIds: becomes })
        if (allowed) expect((await change).helperIds).to.deep.equal(becomes)
        else expect(isPachterError(await change.catch((error: unknown) => error), 'REFUSED')).to.equal(true)
        expect((await system.get('job', 'j')).helperIds).to.deep.equal(allowed ? becomes : was)
      })
  })
