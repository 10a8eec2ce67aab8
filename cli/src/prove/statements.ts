import type { AcceptanceNode, GuaranteeNode, IdleRule, Permission, Promotion } from 'pachter/internal/prove'
import type { ExampleWorld, SourcePlace } from 'pachter/internal/review'
import type { Rulebook } from 'pachter/internal/viewpoint'
import { exampleLines, grantLines, promotionLines } from '../examples.js'
import { placesOf, sourcePlacesOf } from '../places.js'
import { printable } from '../table.js'
import type { Findings } from './findings.js'
import { permittedWorld, promotionWorld } from './worlds.js'

/** A guarantee, or a write by which people give themselves more, and what was found out: what every format tells. */
export interface Statement {
  readonly kind: 'guarantee' | 'self-promotion'
  readonly type: string
  readonly title: string
  readonly outcome: 'proved' | 'refuted' | 'undecided' | 'accepted'
  /** The example, or why there is none. */
  readonly lines: readonly string[]
  /** Why it is accepted. */
  readonly because?: string
  readonly place: SourcePlace | undefined
  /** The example as a world to open. */
  readonly example?: ExampleWorld
}

/** Everything that was found out, as statements. Gains by one write are one statement. */
export function statementsOf(book: Rulebook, { guarantees, promotions }: Findings): readonly Statement[] {
  const places = sourcePlacesOf(book.model)
  const judged = guarantees.map(({ type, guarantee, judged }): Statement => {
    const number = book.model.types[type]?.guarantees?.indexOf(guarantee) ?? 0
    const lines =
      judged.outcome === 'refuted'
        ? guarantee.of === undefined
          ? exampleLines(book, permissionOf(type, guarantee, judged.field), judged.example)
          : grantLines(book, guarantee, judged.example)
        : judged.outcome === 'undecided'
          ? [`undecided${judged.field === undefined ? '' : `, for ${judged.field}`}: ${judged.because}`]
          : []
    const place = places.guarantee(type, number)
    const asked = guarantee.of === undefined ? { type, action: guarantee.never } : undefined
    const example = judged.outcome === 'refuted' ? { example: permittedWorld(book.model, asked, judged.example) } : {}
    return { kind: 'guarantee', type, title: printable(guarantee.title), outcome: judged.outcome, lines, place, ...example }
  })
  const clauses = placesOf(book.model)
  const placeOf = ({ write: { type, action }, by }: Promotion) => (by === undefined ? places.rules(type) : clauses.clause(type, action, by))
  return [...judged, ...grouped(promotions).map((group) => promotion(book, group, placeOf(group[0])))]
}

function permissionOf(type: string, { never: action, within }: GuaranteeNode, field: string | undefined): Permission {
  return { type, action, field, ...(typeof within === 'string' ? { within } : {}), ...(within === false ? { outside: true } : {}) }
}

type Group = readonly [Promotion, ...Promotion[]]

/** By the write, its clause, and whether they are accepted or decided. */
function grouped(promotions: readonly Promotion[]): readonly Group[] {
  const groups = new Map<string, [Promotion, ...Promotion[]]>()
  const numbers = new Map<AcceptanceNode, number>()
  for (const one of promotions) {
    const { write, by, accepted, example } = one
    if (accepted !== undefined && !numbers.has(accepted)) numbers.set(accepted, numbers.size)
    const key = JSON.stringify([write, by, accepted === undefined ? example === undefined : numbers.get(accepted)])
    const there = groups.get(key)
    if (there === undefined) groups.set(key, [one])
    else there.push(one)
  }
  return [...groups.values()]
}

function promotion(book: Rulebook, group: Group, place: SourcePlace | undefined): Statement {
  const [{ write, by, example, because, accepted }] = group
  const outcome = accepted !== undefined ? 'accepted' : example === undefined ? 'undecided' : 'refuted'
  const title = `${write.action} by ${by === undefined ? 'several clauses together' : `"${printable(by)}"`}, and then ${gainsText(group)}`
  const lines = outcome === 'accepted' ? [] : example === undefined ? [`undecided: ${because}`] : promotionLines(book, group[0], example)
  return {
    kind: 'self-promotion',
    type: write.type,
    title,
    outcome,
    lines,
    place,
    ...(accepted === undefined ? {} : { because: printable(accepted.because) }),
    ...(outcome === 'refuted' && example !== undefined ? { example: promotionWorld(book.model, group[0], example) } : {}),
  }
}

/** As in "read plot, entry; delete entry". */
function gainsText(group: Group): string {
  const types = new Map<string, string[]>()
  for (const { gain } of group) types.set(gain.action, [...(types.get(gain.action) ?? []), gain.type])
  return [...types].map(([action, names]) => `${action} ${names.join(', ')}`).join('; ')
}

/** Why a rule does nothing, in a sentence. */
export function idleText({ what, title, why, by }: IdleRule): string {
  const named = `the ${what} "${printable(title)}"`
  if (why === 'undecided') return `whether ${named} makes a difference is undecided`
  if (why === 'never') return `${named} can never hold`
  if (by.length === 0) return `${named} refuses nothing that clauses allow`
  const others = by.map((one) => `"${printable(one)}"`)
  return `${named} makes no difference: ${others.join(', ')} ${by.length === 1 ? 'allows' : 'together allow'} all of it`
}

/** An acceptance that nothing was found for, in a sentence. */
export function unusedText({ type, acceptance }: Findings['unused'][number]): string {
  const { write, by } = acceptance
  return `nothing was found for what is accepted of ${write} ${type}${by === undefined ? '' : ` by ${printable(by)}`}: remove it`
}
