import { expect } from 'chai'
import fc from 'fast-check'
import type { Row } from 'pachter/condition'
import { trace } from 'pachter/internal/condition'
import { failings } from 'pachter/internal/review'
import { accessMatrix, openProject } from 'pachter/review'
import { cases, keyed, linksOf, NOW } from '../support/agreement.js'
import { matrixOf, project } from '../support/review-site.js'
import { ground, types } from '../support/world.js'

describe('a project as data', () => {
  it('is read back to the same answers, cell by cell', () => {
    const again = openProject(JSON.parse(JSON.stringify(project)))
    for (const type of types) {
      const [was, is] = [matrixOf(type), accessMatrix(again, type, again)]
      for (const person of was.people)
        for (const key of was.keys) expect(is.access(person, key), `${person} ${type} ${key}`).to.deep.equal(was.access(person, key))
    }
  })

  it('what fails is named where something does, and nowhere else', () => {
    fc.assert(
      fc.property(...cases, (nodes, me, unkeyed) => {
        const rows = keyed(unkeyed)
        for (const node of nodes) {
          const env = { me: me as Row | null, now: NOW, links: linksOf(rows) }
          const traced = trace(node, rows[0] as Row, env)
          expect(failings(traced, {}).length === 0).to.equal(traced.holds)
        }
      }),
      { numRuns: 30 },
    )
    const why = ground.viewpoint('odile').why('read', 'plot', ground.record('plot', 'p-01') as never)
    const [only, ...more] = failings(why.clause?.trace as never, {})
    expect([only?.text, more.length]).to.deep.equal(["share h-03: that share's until (forever if missing) is after now", 0])
  })
})
