// The findings: failed expectations, drift since the baseline, surviving mutants.

import type { CellRef, MutantFindings, ReviewFindings } from 'pachter/internal/review'
import { type ReactNode, useEffect, useState } from 'react'
import type { Look } from './address.js'
import type { Found } from './answers.js'
import type { Trial } from './engine/types.js'
import type { Live } from './live.js'
import { Place } from './parts/place.js'
import type { Rules } from './rules.js'
import { send, useSave } from './save.js'
import { DifferenceButton } from './tray.js'
import { isNothing } from './trial.js'

export function FindingsList({
  live,
  rules,
  trial,
  tried,
  look,
}: {
  readonly live: Live
  readonly rules: Rules
  readonly trial: Trial
  readonly tried: Found
  readonly look: Look
}) {
  const { findings, about } = live
  return (
    <>
      <h2>Findings</h2>
      {!isNothing(trial) && <Broken rules={rules} of={tried} written={findings?.written} />}
      {findings === undefined ? (
        <p className="faint" role="status">
          Checking the expectations …
        </p>
      ) : findings === null ? (
        <p className="faint">This copy contains no findings.</p>
      ) : (
        <>
          <Expectations of={findings.expectations} look={look} />
          <Drift of={findings} look={look} />
        </>
      )}
      {about.canSave && about.example === undefined && <Mutants live={live} look={look} />}
    </>
  )
}

/** The expectations that would fail with the trial. */
function Broken({
  rules,
  of,
  written,
}: {
  readonly rules: Rules
  readonly of: Found
  readonly written: ReviewFindings['written'] | undefined
}) {
  const [broken, setBroken] = useState<{ readonly of: Found; readonly all: Awaited<ReturnType<Rules['failing']>> }>()
  useEffect(() => {
    let gone = false
    if (of.differences !== undefined && written !== undefined) rules.failing(written).then((all) => !gone && setBroken({ of, all }))
    return () => {
      gone = true
    }
  }, [rules, of, written])
  if (of.differences === undefined) return null
  const all = broken?.of === of ? broken.all : undefined
  return (
    <section aria-label="Effect of the trial">
      <h3>Effect of the trial</h3>
      {all === undefined ? (
        <p className="faint" role="status">
          Checking the expectations …
        </p>
      ) : all.length === 0 ? (
        <p>All expectations that hold now would still hold.</p>
      ) : (
        <ul className="findings">
          {all.map(({ title, problems }) => (
            <li key={title}>
              <span className="no">would fail</span> {title}
              <Problems all={problems} />
            </li>
          ))}
        </ul>
      )}
    </section>
  )
}

function Expectations({ of, look }: { readonly of: ReviewFindings['expectations']; readonly look: Look }) {
  return (
    <section aria-label="Expectations">
      <h3>Expectations</h3>
      {'problem' in of ? (
        <p className="no">{of.problem}</p>
      ) : of.all === 0 ? (
        <p className="faint">There are no expectations yet. Save one from any cell.</p>
      ) : (
        <p>
          {of.all - of.failing.length} of {of.all} hold.
        </p>
      )}
      {'failing' in of && of.failing.length > 0 && (
        <ul className="findings">
          {of.failing.map(({ title, problems, place, cell }) => (
            <li key={`${place?.file} ${place?.line} ${title}`}>
              <span className="no">fails</span> <CellButton cell={cell} look={look} text={title} /> <Place place={place} />
              <Problems all={problems} />
            </li>
          ))}
        </ul>
      )}
    </section>
  )
}

const MOST = 100

function Drift({ of: { drift, baseline }, look }: { readonly of: ReviewFindings; readonly look: Look }) {
  let told: ReactNode
  if (drift === undefined) told = <p className="faint">There is no baseline. Run pachter drift --save to write {baseline}.</p>
  else if ('problem' in drift) told = <p className="no">{drift.problem}</p>
  else {
    const { gained, lost, creates, grants, rules } = drift
    const all = [...gained.map((one) => ({ ...one, gained: true })), ...lost.map((one) => ({ ...one, gained: false }))]
    told =
      all.length + creates.length + grants.length + rules.length === 0 ? (
        <p>No changes in access.</p>
      ) : (
        <>
          <ul className="findings">
            {all.slice(0, MOST).map((one) => (
              <li key={JSON.stringify(one)}>
                <DifferenceButton of={one} look={look} />
              </li>
            ))}
            {creates.map(({ type, person, before, after }) => (
              <li key={`${type} ${person}`}>
                {person} creates {type} records: {before} before, {after} now
              </li>
            ))}
            {grants.map(({ kind, name, person, has }) => (
              <li key={`${kind} ${name} ${person}`}>
                {person} {has ? '' : 'no longer '}
                {kind === 'privilege' ? 'has' : 'may call'} {name}
              </li>
            ))}
            {rules.map(({ of, gone, added }) => (
              <li key={of}>
                the rules of {of} have changed:
                <ul>
                  {gone.map((line) => (
                    <li key={`- ${line}`}>removed: {line.replace(/ #[0-9a-f]+$/, '')}</li>
                  ))}
                  {added.map((line) => (
                    <li key={`+ ${line}`}>added: {line.replace(/ #[0-9a-f]+$/, '')}</li>
                  ))}
                </ul>
              </li>
            ))}
          </ul>
          {all.length > MOST && <p className="faint">and {(all.length - MOST).toLocaleString('en')} more. Run pachter drift to see all.</p>}
        </>
      )
  }
  return (
    <section aria-label="Changes since the baseline">
      <h3>
        Changes since the baseline {drift !== undefined && 'at' in drift && <span className="faint">of {drift.at.slice(0, 10)}</span>}
      </h3>
      {told}
    </section>
  )
}

function Mutants({ live: { mutants, weakening, findings }, look }: { readonly live: Live; readonly look: Look }) {
  const holds =
    findings && 'failing' in findings.expectations && findings.expectations.failing.length === 0 && findings.expectations.all > 0
  return (
    <section aria-label="Mutation check">
      <h3>Mutation check</h3>
      <p className="faint">Weakens the rules one by one. Each time, an expectation should fail.</p>
      {weakening !== undefined ? (
        <p role="status">{weakening[1] === 0 ? 'Starting …' : `${weakening[0]} of ${weakening[1]} …`}</p>
      ) : mutants === undefined ? (
        <p className="buttons">
          <button type="button" disabled={!holds} onClick={() => void send('./weaken', {})}>
            Run mutation check
          </button>
          {findings && !holds && <span className="faint">needs expectations that all hold</span>}
        </p>
      ) : (
        <>
          <MutantList mutants={mutants} look={look} />
          <p className="buttons">
            <button type="button" disabled={!holds} onClick={() => void send('./weaken', {})}>
              Run mutation check again
            </button>
          </p>
        </>
      )}
    </section>
  )
}

function MutantList({ mutants: { all, killed, same, survived }, look }: { readonly mutants: MutantFindings; readonly look: Look }) {
  return (
    <>
      <p role="status">
        {all} mutants: {killed} killed, {survived.length === 0 ? 'none' : survived.length} survived
        {same > 0 && `, ${same} equivalent on this data`}.
      </p>
      {survived.length > 0 && (
        <ul className="findings">
          {survived.map(({ type, rule, step, title, cell }, at) => (
            <li key={`${type} ${rule} ${step}`}>
              <span className="no">survived</span> {type && `${type}: `}
              {rule}: {step}
              {title !== undefined && (
                <p className="problem">
                  {survived.findIndex((one) => one.title === title) < at ? (
                    <span className="faint">would be killed by the same expectation: {title}</span>
                  ) : (
                    <>
                      would be killed by: <CellButton cell={cell} look={look} text={title} /> <SaveProposal number={at} />
                    </>
                  )}
                </p>
              )}
            </li>
          ))}
        </ul>
      )}
    </>
  )
}

function SaveProposal({ number }: { readonly number: number }) {
  const [saved, save] = useSave(String(number))
  if (saved !== undefined) return <span className={saved.isProblem ? 'no' : 'faint'}>{saved.text}</span>
  return (
    <button type="button" onClick={() => void save({ proposals: [number] })}>
      Save as expectation
    </button>
  )
}

/** Links to a cell, if there is one. */
function CellButton({ cell, look, text }: { readonly cell: CellRef | undefined; readonly look: Look; readonly text: string }) {
  if (cell === undefined) return <>{text}</>
  const { type, person, key, action } = cell
  const open =
    key === undefined || action === 'create'
      ? { person: undefined, key: undefined, action: undefined }
      : { person, key: String(key), action, side: 'why' as const }
  return (
    <button type="button" className="plain" onClick={() => look({ type, mode: 'matrix', search: '', ...open })}>
      {text}
    </button>
  )
}

function Problems({ all }: { readonly all: readonly string[] }) {
  return (
    <>
      {all.map((problem) => (
        <p key={problem} className="problem faint">
          {problem}
        </p>
      ))}
    </>
  )
}
