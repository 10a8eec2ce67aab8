import type { AccessChange, Drift, SourcePlace, SourcePlaces } from 'pachter/internal/review'
import type { Model } from 'pachter/internal/rulebook'
import { together, worded } from './changes.js'
import { clauseFor, placesOf, sourcePlacesOf } from './places.js'
import { type SarifResult, sarifText } from './sarif.js'
import { printable } from './table.js'

const KINDS = [
  { id: 'widened', text: 'Access that a person in the data gained' },
  { id: 'narrowed', text: 'Access that a person in the data lost' },
  { id: 'changed-rules', text: 'Rules that changed' },
]
/** Names in a message. A log of thousands of records helps nobody. */
const MOST = 10

/** For code review: what was gained and lost, at the rules that allow it now, or else at those of the record type. */
export function driftSarif({ gained, lost, creates, grants, rules }: Drift, here: Model): string {
  const places = sourcePlacesOf(here)
  const type = (name: string): SourcePlace | undefined => places.rules(name.split(' ')[0] as string)
  const results: SarifResult[] = [
    ...accessResults('widened', gained, here, places),
    ...accessResults('narrowed', lost, here, places),
    ...creates.map(({ type: name, person, before, after }) =>
      result(after === 'never' || before === 'always' ? 'narrowed' : 'widened', type(name), [
        `${person} creates ${name} records: ${before} before, ${after} now`,
      ]),
    ),
    ...grants.map(({ kind, name, person, has }) =>
      result(has ? 'widened' : 'narrowed', places.grant(`${kind}s`, name), [`${person} ${has ? 'gained' : 'lost'} the ${kind} ${name}`]),
    ),
    ...rules.map(({ of, gone, added }) =>
      result('changed-rules', type(of), [
        `The rules of ${of} have changed.`,
        ...gone.map((line) => `- ${worded(line, added)}`),
        ...added.map((line) => `+ ${worded(line, gone)}`),
      ]),
    ),
  ]
  return sarifText('pachter drift', KINDS, results)
}

function accessResults(kind: 'widened' | 'narrowed', changes: readonly AccessChange[], here: Model, rules: SourcePlaces): SarifResult[] {
  const places = placesOf(here, rules)
  return together(changes).map(({ change: { type, action, fields, by }, people, keys }) => {
    const [plain = ''] = action.split(' within ')
    const clause = clauseFor(here, { type, action: plain }, by, fields)
    const place = (clause === undefined ? undefined : places.clause(type, plain, clause)) ?? rules.rules(type)
    const what = fields === undefined ? action : `${action} ${fields.join(', ')} of`
    const may = kind === 'widened' ? 'may now' : 'may no longer'
    const clauses = by.length === 0 ? [] : [`by: ${by.join('; or ')}`]
    return result(kind, place, [`${few(people)} ${may} ${what} ${type} ${few(keys)}`, ...clauses])
  })
}

function result(kind: string, place: SourcePlace | undefined, lines: readonly string[]): SarifResult {
  const message = lines.map(printable).join('\n')
  const level = kind === 'widened' ? 'error' : kind === 'narrowed' ? 'warning' : 'note'
  return { kind, level, message, place, fingerprint: JSON.stringify([kind, lines[0]]) }
}

function few(names: readonly string[]): string {
  return names.length <= MOST ? names.join(', ') : `${names.slice(0, MOST).join(', ')} and ${names.length - MOST} more`
}
