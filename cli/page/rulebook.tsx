// The rules of the record type, and where each of them decides.
import { useEffect, useState } from 'react'
import type { Look, Looking } from './address.js'
import { type GrantShown, type RuleShown, ruleId, type Shown } from './engine/types.js'
import { Place } from './parts/place.js'
import type { Rules } from './rules.js'

export function Rulebook({
  of,
  rules,
  looking,
  look,
  point,
  without,
}: {
  readonly of: Shown | undefined
  readonly rules: Rules
  readonly looking: Looking
  readonly look: Look
  /** Highlights a rule, or none. */
  readonly point: (rule: string | undefined) => void
  readonly without: (title: string, action?: string) => void
}) {
  const [read, setRead] = useState<{ readonly type: string; readonly rules: readonly RuleShown[] }>()
  const [grants, setGrants] = useState<readonly GrantShown[]>([])
  const type = of?.drawn.type
  useEffect(() => {
    let gone = false
    if (type !== undefined) rules.rules(type).then((found) => !gone && setRead({ type, rules: found }))
    rules.grants().then((found) => !gone && setGrants(found))
    return () => {
      gone = true
    }
  }, [rules, of, type])
  useEffect(() => () => point(undefined), [point])
  if (read === undefined || read.type !== type) return <p className="faint">Loading …</p>
  const idle = read.rules.filter(decidesNothing).length
  return (
    <>
      <h2>Rules of {type}</h2>
      <p className="faint">
        Point at a rule to highlight the cells that it decides.
        {idle > 0 &&
          ` ${idle === 1 ? 'One rule makes' : `${idle} rules make`} no difference here: removing ${idle === 1 ? 'it' : 'any one of them'} would change nobody’s access.`}
      </p>
      {groupsOf(read.rules).map(([heading, mine]) => (
        <section key={heading}>
          <h3>{heading}</h3>
          <ul className="rules" onMouseLeave={() => point(undefined)}>
            {mine.map((rule) => (
              <li key={ruleId(rule)}>
                <Rule rule={rule} chosen={looking.rule === ruleId(rule)} {...{ look, point, without }} />
              </li>
            ))}
          </ul>
        </section>
      ))}
      <Grants of={grants} />
    </>
  )
}

/** Privileges and routines, which belong to no record, and who has them. */
function Grants({ of }: { readonly of: readonly GrantShown[] }) {
  if (of.length === 0) return null
  return (
    <section aria-label="Privileges and routines">
      <h3>Privileges and routines</h3>
      <ul className="grants">
        {of.map(({ kind, name, meaning, people }) => (
          <li key={`${kind} ${name}`}>
            <span className="rule-title">{name}</span>
            <span className="faint">
              {' '}
              {kind}, {meaning}
            </span>
            <span className="said">{people.length === 0 ? 'none of these people' : people.join(', ')}</span>
          </li>
        ))}
      </ul>
    </section>
  )
}

/** Whether removing it would change nothing here. Unknown for rules that concern only new records. */
function decidesNothing({ kind, cells, alone }: RuleShown): boolean {
  return cells !== undefined && (kind === 'standing' ? cells === 0 : alone === 0)
}

function Rule({
  rule,
  chosen,
  look,
  point,
  without,
}: {
  readonly rule: RuleShown
  readonly chosen: boolean
  readonly look: Look
  readonly point: (rule: string | undefined) => void
  readonly without: (title: string, action?: string) => void
}) {
  const id = ruleId(rule)
  const { kind, title, meaning, people, place } = rule
  const most = people.slice(0, 6).map(({ name, records }) => (records === 0 ? name : `${name} ${records}`))
  return (
    <>
      <button
        type="button"
        className="rule"
        aria-pressed={chosen}
        onMouseEnter={() => point(id)}
        onFocus={() => point(id)}
        onBlur={() => point(undefined)}
        onClick={() => look({ rule: chosen ? undefined : id })}
      >
        <span className="rule-title">{title}</span>
        {meaning !== undefined && <span className="faint"> {kind === 'veto' ? `“${meaning}”` : meaning}</span>}
        <span className="said">
          {decidesNothing(rule) ? <span className="idle">∅ makes no difference here</span> : null} {saidOf(rule)}
        </span>
      </button>
      {chosen && (
        <div className="rule-more">
          {people.length > 0 && (
            <p>
              {most.join(', ')}
              {people.length > most.length && ` and ${people.length - most.length} more`}
            </p>
          )}
          <p>
            <Place place={place} />
            {(kind === 'clause' || kind === 'veto') && (
              <button type="button" className="plain" onClick={() => without(title, kind === 'clause' ? rule.actions[0] : undefined)}>
                Try without this {kind}
              </button>
            )}
          </p>
        </div>
      )}
    </>
  )
}

/** Where a rule applies, as numbers. */
function saidOf({ kind, actions, cells, alone, people }: RuleShown): string {
  if (kind === 'stamp') return ''
  if (cells === undefined) {
    if (actions[0] === 'create') return people.length === 0 ? 'for none of these people' : `for ${people.length} of these people`
    return 'within a routine only'
  }
  const count = `${cells.toLocaleString('en')} ${cells === 1 ? 'cell' : 'cells'}`
  if (kind === 'standing') return cells === 0 ? '' : count
  if (cells === 0) return ''
  const what = kind === 'clause' ? count : `refuses ${count}`
  return alone === cells
    ? what
    : alone === 0
      ? `${what}, all also by other rules`
      : `${what}, ${alone?.toLocaleString('en')} by this rule alone`
}

function groupsOf(rules: readonly RuleShown[]): (readonly [string, readonly RuleShown[]])[] {
  const groups = new Map<string, RuleShown[]>()
  for (const rule of rules) {
    const { kind, actions } = rule
    const heading = {
      standing: 'Standings',
      gate: actions.length === 1 ? `May ${actions[0]} only if` : 'Anything only if',
      clause: `May ${actions[0]}`,
      veto: `Veto on ${actions.join(', ')}`,
      stamp: `Set by the server on ${actions[0]}`,
    }[kind]
    groups.set(heading, [...(groups.get(heading) ?? []), rule])
  }
  return [...groups]
}
