// Random rulebooks: what a person may do to some record is never proved to be impossible, and a difference never to be none.
import { expect } from 'chai'
import fc from 'fast-check'
import type { ConditionNode, Row } from 'pachter/condition'
import { predicate } from 'pachter/condition'
import { TRUE } from 'pachter/internal/condition'
import { driftForEveryone, judgeGuarantee } from 'pachter/internal/prove'
import type { Model } from 'pachter/internal/rulebook'
import { rulebookOf } from 'pachter/internal/viewpoint'
import { keyed, linksOf, NOW } from '../support/agreement.js'
import { condition, record } from '../support/conditions.js'
import { FIELDS, people, rulebook } from '../support/rulebooks.js'
import { tries } from '../support/tries.js'

/** Something that a person may do: the action, and the field that they see or change. */
interface Done {
  readonly action: string
  readonly field?: string
  readonly who: Row | null
  readonly row: Row
  readonly becomes?: Row
}

const names = fc.subarray(FIELDS, { minLength: 1, maxLength: 4 })
const rows = fc.array(record, { minLength: 1, maxLength: 5 }).map((some) => keyed(some))

/** All that the people may do to the records. Each becomes the next one in some of its fields. */
function doneBy(model: Model, all: readonly Row[], given: object, changed: readonly string[]): Done[] {
  const book = rulebookOf(model)
  return Object.values(given).flatMap((me: Row | null) => {
    const view = book.for(me as never, { records: { thing: all } as never, now: new Date(NOW) })
    return all.flatMap((row, at) => {
      const next = all[(at + 1) % all.length] as Row
      const becomes = { ...row, ...Object.fromEntries(changed.map((name) => [name, next[name]])) }
      return ['read', 'update', 'delete'].flatMap((action): Done[] => {
        const verdict = view.verdict(action as 'read', 'thing' as never, row as never, (action === 'update' ? becomes : undefined) as never)
        if (!verdict.allowed) return []
        const done: Done = { action, who: me, row, ...(action === 'update' ? { becomes } : {}) }
        const seen = verdict.fields ?? FIELDS
        const differ = changed.filter((name) => JSON.stringify(row[name]) !== JSON.stringify(becomes[name]))
        const fields = action === 'read' ? seen.slice(0, 2) : action === 'update' ? differ : []
        return [done, ...fields.map((field) => ({ ...done, field: field as string }))]
      })
    })
  })
}

describe('proofs about random rulebooks', () => {
  it('never prove what a person breaks, whatever the guarantee', () => {
    const counts = { proved: 0, refuted: 0, undecided: 0, broken: 0 }
    const law = fc.property(rulebook, people, rows, names, condition, (book, given, all, changed, unless) => {
      const { model } = book as unknown as { readonly model: Model }
      const done = doneBy(model, all, given, changed)
      const seen = new Map<string, Done[]>()
      for (const one of done) {
        const key = `${one.action} ${one.field ?? ''}`
        seen.set(key, [...(seen.get(key) ?? []), one])
      }
      for (const action of ['read', 'update', 'delete'])
        for (const field of [undefined, ...(action === 'delete' ? [] : changed.slice(0, 2))])
          for (const except of [undefined, unless]) {
            const guarantee = {
              title: 'x',
              never: action,
              provided: TRUE,
              ...(field ? { fields: [field] } : {}),
              ...(except ? { unless: except } : {}),
            }
            const { outcome } = judgeGuarantee(model, 'thing', guarantee)
            counts[outcome] += 1
            const broken = (seen.get(`${action} ${field ?? ''}`) ?? []).filter((one) => except === undefined || !holds(except, one, all))
            if (broken.length === 0) continue
            counts.broken += 1
            const { rules, ...rest } = model.types.thing as Model['types'][string] & { readonly fields: unknown; readonly shape: unknown }
            const what = JSON.stringify({
              action,
              field,
              except,
              gate: model.gate,
              rules,
              removal: (rest as { removal?: unknown }).removal,
              broken: broken[0],
              all,
            })
            expect(outcome, what).not.to.equal('proved')
          }
    })
    fc.assert(law, { numRuns: tries(30, 400) })
    expect(counts.proved, JSON.stringify(counts)).to.be.above(20)
    expect(counts.broken, JSON.stringify(counts)).to.be.above(5)
  })

  it('never prove two rulebooks the same where a person may do something by one of them alone', () => {
    const counts = { same: 0, differs: 0, undecided: 0 }
    const law = fc.property(rulebook, rulebook, people, rows, names, (one, other, given, all, changed) => {
      const [before, after] = [one, other].map((book) => (book as unknown as { readonly model: Model }).model) as [Model, Model]
      fc.pre((before.types.thing as { removal?: string }).removal === (after.types.thing as { removal?: string }).removal)
      const told = (model: Model) => new Map(doneBy(model, all, given, changed).map((done) => [JSON.stringify(done), done]))
      const [old, now] = [told(before), told(after)]
      const gained = new Set<string>()
      for (const [key, { action, field }] of now) if (!old.has(key)) gained.add(`${action} ${field ?? ''}`)
      for (const { permission, widening } of driftForEveryone(before, after, ['gained'])) {
        if ('kind' in permission) continue
        counts[widening === undefined ? 'same' : widening.example === undefined ? 'undecided' : 'differs'] += 1
        const key = `${permission.action} ${permission.field ?? ''}`
        if (gained.has(key))
          expect(widening, `${key} ${JSON.stringify([before.types.thing?.rules, after.types.thing?.rules])}`).not.to.equal(undefined)
      }
    })
    fc.assert(law, { numRuns: tries(4, 80) })
    expect(counts.differs, JSON.stringify(counts)).to.be.above(20)
  })
})

function holds(node: ConditionNode, { row, becomes, who }: Done, all: readonly Row[]): boolean {
  return predicate(node)(row, { me: who, now: NOW, links: linksOf(all), after: becomes ?? row })
}
