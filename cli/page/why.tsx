// Why a person may or may not do something to a record: what decided, part by part, with source positions.

import type { Key } from 'pachter/internal/rulebook'
import { useEffect, useState } from 'react'
import type { Look, Looking } from './address.js'
import type { Drawn, Told } from './engine/types.js'
import { Place } from './parts/place.js'
import type { Rules } from './rules.js'
import { useSave } from './save.js'

interface WhyProps {
  readonly drawn: Drawn
  readonly rules: Rules
  readonly looking: Looking
  readonly look: Look
  /** Opens a form for the record, or for the person's claims. */
  readonly edit: (what: 'record' | 'claims') => void
  readonly remove: () => void
  readonly without: (title: string, action?: string) => void
  /** Whether the cell can be saved as an expectation. */
  readonly canSave: boolean
}

export function Why({ canSave, drawn, rules, looking: { type, person, key, action = 'read' }, look, edit, remove, without }: WhyProps) {
  const [told, setTold] = useState<{ readonly of: string; readonly why: Told }>()
  const at = drawn.keys.findIndex((one) => String(one) === key)
  const isKnown = at >= 0 && person !== undefined && drawn.people.includes(person) && drawn.actions.includes(action)
  const of = `${type} ${key} ${person} ${action}`
  useEffect(() => {
    if (!isKnown) return
    let gone = false
    rules.why(type, person as string, drawn.keys[at] as string, action).then((why) => !gone && setTold({ of, why }))
    return () => {
      gone = true
    }
  }, [rules, drawn, of])
  const why = told?.of === of ? told.why : undefined
  return (
    <div aria-live="polite">
      <h2>
        {person} and {type} {key}
      </h2>
      {!isKnown && <p role="alert">This person, record or action does not exist here.</p>}
      {isKnown && (
        <div className="actions" role="group" aria-label="Action">
          {drawn.actions.map((one, bit) => {
            const may = ((drawn.cells[drawn.people.indexOf(person as string)]?.[at] ?? 0) >> bit) & 1
            return (
              <button key={one} type="button" aria-pressed={one === action} onClick={() => look({ action: one })}>
                <span className={may ? 'yes' : 'no'} aria-hidden="true">
                  {may ? '✓' : '✕'}
                </span>{' '}
                {one}
                <span className="unseen">{may ? ', allowed' : ', not allowed'}</span>
              </button>
            )
          })}
        </div>
      )}
      {why && <Explained why={why} action={action} person={person as string} without={without} look={look} />}
      {why && why.standings.length > 0 && (
        <section>
          <h3>Standings on this record</h3>
          <ul className="lines">
            {why.standings.map(({ person: one, is }) => (
              <li key={one}>
                <button type="button" className="plain" aria-current={one === person} onClick={() => look({ person: one })}>
                  {one}
                </button>
                : {is.join(', ')}
              </li>
            ))}
          </ul>
        </section>
      )}
      {isKnown && canSave && (
        <Save key={of} {...{ type, action }} person={person as string} recordKey={drawn.keys[at] as Key} allowed={why?.allowed} />
      )}
      {isKnown && (
        <section>
          <h3>Try a change</h3>
          <p className="buttons">
            <button type="button" onClick={() => edit('record')}>
              Edit {type} {key}
            </button>
            <button type="button" onClick={remove}>
              Delete {type} {key}
            </button>
            {person !== 'visitor' && (
              <button type="button" onClick={() => edit('claims')}>
                Edit {person}’s claims
              </button>
            )}
          </p>
        </section>
      )}
    </div>
  )
}

function Explained({
  why,
  action,
  person,
  without,
  look,
}: {
  readonly why: Told
  readonly action: string
  readonly person: string
  readonly look: Look
  readonly without: (title: string, action?: string) => void
}) {
  const { allowed, outcome, message, fields, decidedBy, withheld, clause, others } = why
  const failing = allowed || withheld.length > 0 ? [] : (clause?.failing ?? [])
  return (
    <>
      <p>
        <strong className={allowed ? 'yes' : 'no'}>
          {allowed ? 'Allowed' : outcome === 'not found' ? 'Not found' : outcome === 'sign in' ? 'Sign in first' : 'Refused'}
        </strong>
        {fields && `, with ${fields.join(', ') || 'the key alone'}`}.{message !== undefined && ` Message: “${message}”`}
      </p>
      {decidedBy !== action && (
        <p className="faint">
          To {action} a record, {person} has to be allowed to {decidedBy} it. The {decidedBy} clauses decide here.
        </p>
      )}
      <Failing failing={failing} />
      <Withheld withheld={withheld} without={without} />
      {clause ? (
        <section>
          <h3>
            {allowed ? `Allowed by this ${decidedBy} clause` : clause.holds ? 'A clause would allow it' : `Nearest ${decidedBy} clause`}{' '}
            <Place place={clause.place} />
          </h3>
          <Lines lines={clause.lines} />
          <p className="links">
            {clause.holds && (
              <button type="button" className="plain" onClick={() => without(clause.title, decidedBy)}>
                Try without this clause
              </button>
            )}
            <button type="button" className="plain" onClick={() => look({ side: 'rules', rule: clause.rule })}>
              Show where it decides
            </button>
          </p>
        </section>
      ) : (
        <p>No clause allows anyone to {decidedBy} it.</p>
      )}
      {others.length > 0 && (
        <section>
          <h3>The other clauses</h3>
          <ul className="lines">
            {others.map(({ title, holds, place }, at) => (
              <li key={`${at} ${title}`}>
                <Mark holds={holds} /> {title} <Place place={place} />
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  )
}

function Failing({ failing }: { readonly failing: NonNullable<Told['clause']>['failing'] }) {
  if (failing.length === 0) return null
  return (
    <section>
      <h3>Conditions that do not hold</h3>
      <ul>
        {failing.map(({ text, values }, at) => (
          <li key={`${at} ${text}`}>
            {text} {values && <span className="faint">[{values}]</span>}
          </li>
        ))}
      </ul>
    </section>
  )
}

interface WithheldProps {
  readonly withheld: Told['withheld']
  readonly without: (title: string) => void
}

function Withheld({ withheld, without }: WithheldProps) {
  return (
    <>
      {withheld.map(({ kind, title, lines, place }) => (
        <section key={title}>
          <h3>
            {kind === 'gate' ? 'Refused by a gate' : 'Refused by a veto'} <Place place={place} />
          </h3>
          <Lines lines={lines} />
          {kind === 'veto' && (
            <button type="button" className="plain" onClick={() => without(title)}>
              Try without this veto
            </button>
          )}
        </section>
      ))}
    </>
  )
}

/** Saves a cell as an expectation, in a file of the project. */
function Save({
  type,
  person,
  recordKey,
  action,
  allowed,
}: {
  readonly type: string
  readonly person: string
  readonly recordKey: Key
  readonly action: string
  readonly allowed: boolean | undefined
}) {
  const [told, save] = useSave(`${type} ${person} ${recordKey} ${action} ${allowed}`)
  return (
    <section>
      <h3>Save</h3>
      {told === undefined ? (
        <p className="buttons">
          <button
            type="button"
            onClick={() => void save({ cells: [{ person, type, key: recordKey, action, allowed: allowed === true }] })}
            disabled={allowed === undefined}
          >
            Save as expectation: {person} {allowed ? 'may' : 'may not'} {action} it
          </button>
        </p>
      ) : (
        <p role="status" className={told.isProblem ? 'no' : ''}>
          {told.text}
        </p>
      )}
    </section>
  )
}

function Mark({ holds }: { readonly holds: boolean }) {
  return <span className={holds ? 'yes' : 'no'}>{holds ? 'holds' : 'fails'}</span>
}

function Lines({
  lines,
}: {
  readonly lines: readonly { readonly depth: number; readonly holds: boolean; readonly text: string; readonly values?: string }[]
}) {
  return (
    <ul className="lines">
      {lines.map(({ depth, holds, text, values }, at) => (
        <li key={`${at} ${text}`} style={{ marginInlineStart: `${depth * 0.9}rem` }}>
          <Mark holds={holds} /> {text} {values && <span className="faint">[{values}]</span>}
        </li>
      ))}
    </ul>
  )
}
