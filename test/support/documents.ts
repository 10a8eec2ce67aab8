// Whether conditions have the same answers as filter documents, by an engine that reads these in memory.
import { expect } from 'chai'
import fc from 'fast-check'
import { Query } from 'mingo'
import { isPachterError } from 'pachter'
import { type Row, simplify } from 'pachter/condition'
import { conditionFilter, type FilterDocument } from 'pachter/documents'
import { cases, held, keyed, NOW } from './agreement.js'

/** The documents that a filter matches. */
export function matching<R extends Row>(rows: readonly R[], filter: FilterDocument): R[] {
  const query = new Query(filter as never)
  return rows.filter((row) => query.test(row))
}

// What no shape would let in.
const odd = fc.constantFrom<unknown>(
  ['a'],
  [''],
  [[1]],
  5,
  '5',
  {},
  { text: 'a' },
  [{ text: 'a', number: 1 }],
  Number.NaN,
  Number.POSITIVE_INFINITY,
  true,
  [null],
  new Date(0),
  [new Date(0)],
  'a\0',
)
const names = ['textA', 'textB', 'textList', 'integerA', 'numberA', 'numberList', 'booleanA', 'timeA', 'timeList', 'parent', 'inner']
const misfits = fc.array(fc.tuple(fc.constantFrom(...names), odd), { maxLength: 4 })

/** Asks for the answers to random conditions. Gives how many could be said at all. @throws where one is not that in memory. */
export async function agreesInDocuments(runs: number, seed?: number): Promise<{ said: number; unsaid: number }> {
  let [said, unsaid] = [0, 0]
  const same = fc.asyncProperty(...cases, misfits, async (nodes, me, unkeyed, odds) => {
    const rows = keyed(unkeyed.map((row) => ({ ...row, ...Object.fromEntries(odds) })))
    const find = async (_type: string, filter: FilterDocument) => matching(rows, filter)
    for (const node of nodes) {
      const special = simplify(node, me)
      const filter = await conditionFilter(special, 'thing', NOW, { find }).catch((error: unknown) => {
        if (isPachterError(error, 'NOT_EXPRESSIBLE')) return undefined
        throw error
      })
      if (filter === undefined) unsaid++
      else said++
      if (filter === undefined) continue
      const answer = matching(rows, filter).map(({ id }) => id)
      expect(answer, `${JSON.stringify(special)}\nas ${JSON.stringify(filter)}\nof ${JSON.stringify(rows)}\n`).to.deep.equal(
        held(rows, special, null),
      )
    }
  })
  await fc.assert(same, { numRuns: runs, ...(seed === undefined ? {} : { seed }) })
  return { said, unsaid }
}
