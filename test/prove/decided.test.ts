// Everything that can be asked of a music school, with tenants, removed records, counts and days, is decided.
import { expect } from 'chai'
import { driftForEveryone, idleRules, type Promotion, selfPromotions } from 'pachter/prove'
import { book } from '../school/rulebook.js'

describe('proofs about a music school', () => {
  it('decide whether people give themselves more, and how', async () => {
    const found: Promotion[] = []
    for await (const asked of selfPromotions(book.model)) found.push(...asked.found)
    expect(found.filter(({ because }) => because !== undefined)).to.deep.equal([])
    const told = new Set(found.map(({ write, by, gain }) => `${write.action} ${write.type} by ${by}: ${gain.action} ${gain.type}`))
    expect([...told]).to.include.members([
      // The office gives itself the role of an accountant.
      'create membership by role office: read invoice',
      // Of two records that fit a teacher, one is removed. The other is theirs then.
      'delete teacher by role office: read loan',
    ])
  })

  it('decide which rules do nothing, and that the rulebook is the same as itself', () => {
    expect([...idleRules(book.model)].filter((rule) => rule !== undefined)).to.deep.equal([])
    const changed = [...driftForEveryone(book.model, book.model)].filter(({ widening }) => widening !== undefined)
    expect(changed).to.deep.equal([])
  })
})
