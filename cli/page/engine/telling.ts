// Why a person may or may not do something, with the source positions of the rules.
import type { Row } from 'pachter/internal/condition'
import type { Ground, Project, SourcePlace } from 'pachter/internal/review'
import { clauseLines, failings } from 'pachter/internal/review'
import type { Key, Model } from 'pachter/internal/rulebook'
import { ruleId, type Told } from './types.js'

/** The source positions of clauses and vetoes, by title. */
export function placesIn(model: Model, { places }: Pick<Project, 'places'>) {
  const at = (rules: readonly { readonly title: string }[] | undefined, title: string) =>
    (rules ?? []).findIndex((one) => one.title === title)
  return {
    number: (type: string, action: string, title: string): number => at(model.types[type]?.rules?.may[action], title),
    clause: (type: string, action: string, title: string): SourcePlace | null =>
      places[type]?.may[action]?.[at(model.types[type]?.rules?.may[action], title)] ?? null,
    veto: (type: string, title: string): SourcePlace | null => places[type]?.vetoes[at(model.types[type]?.rules?.vetoes, title)] ?? null,
  }
}

export function tell(
  ground: Ground,
  places: ReturnType<typeof placesIn>,
  { type, person, key, action }: { readonly type: string; readonly person: string; readonly key: Key; readonly action: string },
): Omit<Told, 'standings'> {
  const record = ground.record(type, key) as Row
  const { verdict, decidedBy, clause, clauses, withheldBy } = ground.viewpoint(person).why(action as never, type, record)
  const wording = { record: `the ${type}`, person: person === 'visitor' ? "the visitor's" : `${person}'s` }
  return {
    allowed: verdict.allowed,
    outcome: verdict.outcome,
    message: verdict.message,
    fields: verdict.fields,
    decidedBy,
    withheld: withheldBy.map(({ kind, title, trace }) => ({
      kind,
      title,
      lines: clauseLines({ title, holds: trace.holds, trace }, wording).flat(),
      place: kind === 'veto' ? places.veto(type, title) : null,
    })),
    ...(clause
      ? {
          clause: {
            title: clause.title,
            rule: ruleId({ kind: 'clause', actions: [decidedBy], number: places.number(type, decidedBy, clause.title) }),
            holds: clause.holds,
            lines: clauseLines(clause, wording).flat(),
            failing: failings(clause.trace, wording),
            place: places.clause(type, decidedBy, clause.title),
          },
        }
      : {}),
    others: clauses
      .filter((other) => other !== clause)
      .map(({ title, holds }) => ({ title, holds, place: places.clause(type, decidedBy, title) })),
  }
}
