import {
  cellOf,
  type Expectation,
  type Finding,
  type Ground,
  type MutantResult,
  type SourcePlace,
  type SourcePlaces,
} from 'pachter/internal/review'
import type { Model } from 'pachter/internal/rulebook'
import { clauseFor, placesOf, sourcePlacesOf } from './places.js'
import { type SarifResult, sarifText } from './sarif.js'
import { printable } from './table.js'

const EXPECTATION = { id: 'expectation', text: 'An expectation that does not hold' }
const MUTANT = { id: 'surviving-mutant', text: 'A weakened rule that no expectation notices' }

/** For code review: each expectation that does not hold, at the rule that decides it, and at its own line. */
export async function expectationsSarif(ground: Ground, findings: readonly Finding[]): Promise<string> {
  const results: SarifResult[] = []
  const all = sourcePlacesOf(ground.model)
  for (const { expectation, title, held, problems } of findings) {
    if (held) continue
    const own = expectation.place
    results.push({
      kind: EXPECTATION.id,
      level: 'error',
      message: [title, ...problems].map(printable).join('\n'),
      place: (await decidingPlace(ground, all, expectation)) ?? own,
      ...(own === undefined ? {} : { related: [{ ...own, message: 'The expectation.' }] }),
      fingerprint: JSON.stringify([EXPECTATION.id, title]),
    })
  }
  return sarifText('pachter check', [EXPECTATION], results)
}

/** The clause or veto that decides the cell of an expectation; otherwise the rules of its record type. */
async function decidingPlace(ground: Ground, all: SourcePlaces, expectation: Expectation): Promise<SourcePlace | undefined> {
  const { model } = ground
  if (!('type' in expectation)) return all.grant(expectation.kind === 'privilege' ? 'privileges' : 'routines', expectation.name)
  const { type } = expectation
  const cell = await cellOf(ground, expectation)
  const record = cell?.key === undefined ? undefined : ground.record(type, cell.key)
  if (cell === undefined || record === undefined || cell.action === 'create') return all.rules(type)
  const { verdict, clauses, decidedBy, withheldBy } = ground.viewpoint(cell.person).why(cell.action as 'read', type, record)
  const places = placesOf(model, all)
  const veto = withheldBy.find(({ kind }) => kind === 'veto')
  const holding = clauses.filter(({ holds }) => holds).map(({ title }) => title)
  const clause = clauseFor(model, { type, action: decidedBy }, holding, surplusOf(model, expectation, verdict.fields))
  const found =
    veto === undefined ? (clause === undefined ? undefined : places.clause(type, decidedBy, clause)) : places.veto(type, veto.title)
  return found ?? all.rules(type)
}

/** The fields of an expectation about fields that are allowed and should not be. */
function surplusOf(model: Model, expectation: Expectation, allowed: readonly string[] | undefined): readonly string[] {
  if (expectation.kind !== 'fields' || expectation.extent === 'at least' || expectation.fields === 'all') return []
  const { type, extent, fields } = expectation
  const all = allowed ?? Object.keys(model.types[type]?.fields ?? {})
  return all.filter((name) => fields.includes(name) === (extent === 'none'))
}

/** For code review: each mutant that survived, at the rule that was weakened, with the expectation that would kill it. */
export function mutantsSarif(model: Model, survived: readonly MutantResult[], proposed: (one: MutantResult) => string | undefined): string {
  const all = sourcePlacesOf(model)
  const results = survived.map((one): SarifResult => {
    const { type, rule, step } = one.mutant
    const of = type === undefined ? rule : `${type}: ${rule}`
    const proposal = proposed(one)
    return {
      kind: MUTANT.id,
      level: 'warning',
      message: [
        `No expectation fails if ${of} is weakened: ${step}`,
        ...(proposal === undefined ? [] : [`Would be killed by: ${proposal}`]),
      ]
        .map(printable)
        .join('\n'),
      place: weakenedPlace(model, all, one.mutant),
      fingerprint: JSON.stringify([MUTANT.id, type, rule, step]),
    }
  })
  return sarifText('pachter check --mutants', [MUTANT], results)
}

function weakenedPlace(model: Model, all: SourcePlaces, { type, rule }: MutantResult['mutant']): SourcePlace | undefined {
  const [kind = '', name = ''] = rule.split(/ (.*)/)
  if (type === undefined) return kind === 'privilege' || kind === 'routine' ? all.grant(`${kind}s` as 'privileges', name) : undefined
  if (kind === 'standing') return all.standing(type, name) ?? all.rules(type)
  const [action = '', title = ''] = rule.split(/, (.*)/s)
  const places = placesOf(model, all)
  return (action === 'veto' ? places.veto(type, title) : places.clause(type, action, title)) ?? all.rules(type)
}
