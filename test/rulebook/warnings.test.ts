// Probable mistakes in a rulebook, which are said and built nevertheless.
import { expect } from 'chai'
import { rulebook } from 'pachter'
import { z } from 'zod'

const Session = z.object({ id: z.string(), roles: z.array(z.enum(['warden', 'treasurer'])) })
const Plot = z.object({
  id: z.string(),
  number: z.int(),
  rent: z.number(),
  holderId: z.string().nullable(),
  tags: z.array(z.string()),
  open: z.boolean(),
})
const build = (rules: unknown) =>
  (rulebook as any)({ me: { shape: Session, key: 'id' }, records: { plot: { shape: Plot, key: 'id' } } })
    .standings({ plot: (plot: any, { me }: any) => ({ holder: plot.holderId.is(me.id) }) })
    .rules({ plot: rules })

describe('a rulebook', () => {
  it('warns of a write clause that no read clause is sure to cover', () => {
    const book = build((_plot: any, { standing: { holder }, role }: any) => ({
      may: { read: [role('warden', 'treasurer')], update: [holder, role('warden')], delete: [holder.provided(_plot.open.is(true))] },
    }))
    expect(book.warnings).to.have.length(2)
    expect(book.warnings.join()).to.include('the update clause "holder"').and.include('the delete clause')
  })

  it('warns of nothing where every signed-in person reads, and a write needs a claim', () => {
    const book = build((plot: any, { standing: { holder }, role, signedIn, me }: any) => ({
      may: { read: [signedIn], update: [holder, role('warden')], delete: [signedIn.provided(plot.tags.has(me.id))] },
    }))
    expect(book.warnings).to.deep.equal([])
    // A visitor may update what nobody without a claim reads.
    const open = build((_plot: any, { anyone, signedIn }: any) => ({ may: { read: [signedIn], update: [anyone] } }))
    expect(open.warnings).to.have.length(1)
  })

  it('warns of a record type without rules, and of a clause that can never hold, once each', () => {
    const empty = z.object({ id: z.string(), open: z.boolean() })
    const begun = rulebook({
      me: { shape: z.object({ id: z.string() }), key: 'id' },
      records: { shed: { shape: empty, key: 'id' }, tool: { shape: empty, key: 'id' } },
    })
    expect(begun.warnings).to.deep.equal([])
    const book = begun.rules({
      shed: (shed, { anyone, signedIn }) => ({ may: { read: [signedIn, anyone.provided(shed.open.isOneOf([])).titled('never')] } }),
    })
    expect(book.warnings).to.deep.equal([
      'shed: the read clause "never" can never hold, for nobody and no record. Remove it, or correct its condition.',
      'tool: it has no rules, so everyone is refused. If that is meant, write tool: () => ({}).',
    ])
    expect(book.rules({ tool: () => ({}) }).warnings).to.have.length(1)
  })

  it('warns of a field as it becomes that is compared with one its writer may not see', () => {
    const warnings = (seen: string, rule: (plot: any, after: any) => any) =>
      build((plot: any, { standing: { holder }, after, anyone, role }: any) => ({
        may: {
          read: [holder.only('number', seen), role('warden')],
          update: [holder.only('number').provided(rule(plot, after)).afterwards(anyone), role('warden')],
        },
      })).warnings
    expect(warnings('tags', (plot, after) => after.number.isAtMost(plot.rent))).to.deep.equal([
      'plot: the update clause "holder, provided the plot\'s number afterwards is at most the plot\'s rent; only number; afterwards anyone" allows number to be changed, and rules compare it with rent. People who cannot see rent could find out its value by trying.',
    ])
    expect(
      warnings('rent', (plot, after) => after.number.isAtMost(plot.rent)),
      'who sees it',
    ).to.deep.equal([])
    expect(
      warnings('tags', (plot, after) => after.number.isAtMost(plot.number)),
      'itself',
    ).to.deep.equal([])
    expect(warnings('tags', (_plot, after) => after.number.isAtMost(after.rent))).to.have.length(1)
    expect(warnings('rent', (_plot, after) => after.number.isAtMost(after.rent))).to.deep.equal([])
  })
})
