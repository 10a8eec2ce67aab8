// The page: type and mode, the matrix or the lists, the side panel, and the trial.

import type { CellToSave } from 'pachter/internal/review'
import { type Key, keyOf } from 'pachter/internal/rulebook'
import { useMemo, useState } from 'react'
import { type Look, type Looking, useLooking } from './address.js'
import { useAnswers, useMarks, useStandings } from './answers.js'
import type { Differences, Shown, Trial } from './engine/types.js'
import { ExampleBanner, type OpenExample, useExamples } from './examples.js'
import { FindingsList } from './findings.js'
import { Head } from './head.js'
import { Lists } from './lists.js'
import { type Live, useLive } from './live.js'
import { Matrix } from './matrix.js'
import { Proofs } from './proofs.js'
import { Rulebook } from './rulebook.js'
import type { About, Rules } from './rules.js'
import { useSave } from './save.js'
import { Side } from './side.js'
import { Tray } from './tray.js'
import { changesOf, isNothing, NOTHING, withoutRule, withPerson, withRecord } from './trial.js'
import { ClaimsForm, RecordForm } from './try-forms.js'
import { Why } from './why.js'

/** The form that is open. */
type Form = { readonly what: 'record'; readonly key?: Key | undefined } | { readonly what: 'claims'; readonly person?: string | undefined }

export function App({ opened, rules }: { readonly opened: About; readonly rules: Rules }) {
  const [live, examples] = useLive(rules, opened)
  const { about, revision } = live
  const types = useMemo(() => about.types.map(({ name }) => name), [about])
  const [looking, look, away] = useLooking(types)
  const open = useExamples(about.example, examples, look, away)
  const { type, mode, trial, side } = looking
  const [form, setForm] = useState<Form>()
  const answers = useAnswers(rules, revision, type, trial)
  const { shown, found, problem, drift, begin, compared, compareWith, attempt } = answers
  const here = shown?.drawn.type === type ? shown : undefined
  const marked = useMarks(rules, here, looking.rule)
  const standings = useStandings(rules, here, looking.group)
  const tried = (next: Trial, person?: string) =>
    attempt(next, () => {
      // The column of an added person comes into view.
      look({ trial: next, ...(person === undefined ? {} : { person, key: undefined }) })
      setForm(undefined)
    })
  return (
    <>
      <Head live={live} looking={looking} look={look} people={here?.drawn.people ?? about.people} add={setForm} />
      {about.example !== undefined && <ExampleBanner title={about.example} now={about.now} look={look} />}
      <div className={side === undefined ? 'desk' : 'desk with-side'}>
        <main id="main" aria-label={mode === 'matrix' ? `Access to ${type} records` : `Lists of ${type} records`}>
          {problem !== undefined && <p role="alert">{problem}</p>}
          {here === undefined ? (
            <p role="status" className="faint">
              Loading …
            </p>
          ) : mode === 'matrix' ? (
            <Matrix
              shown={here}
              marked={marked.cells}
              standings={standings}
              rules={rules}
              canSave={about.canSave}
              looking={looking}
              look={look}
            />
          ) : (
            <Lists shown={here} rules={rules} looking={looking} look={look} />
          )}
        </main>
        {side !== undefined && (
          <Beside {...{ live, here, rules, looking, look, found, tried, setForm, open }} side={side} point={marked.point} />
        )}
      </div>
      <Banners live={live} />
      {drift !== undefined && (
        <Tray
          key={revision}
          label={compared === 'opened' ? 'Changes since the page was opened' : 'Changes by the last save'}
          heading={
            <label>
              <strong>Changes</strong>{' '}
              <select
                aria-label="Compare with"
                value={compared}
                onChange={(event) => compareWith(event.currentTarget.value as typeof compared)}
              >
                <option value="opened">since you opened this page</option>
                <option value="last save">by the last save</option>
              </select>
            </label>
          }
          differences={drift}
          look={look}
          isOpen={isNothing(trial)}
        >
          <button type="button" className="plain" onClick={begin}>
            Reset comparison
          </button>
        </Tray>
      )}
      {!isNothing(trial) && <Tried trial={trial} found={found} rules={rules} canSave={about.canSave} look={look} tried={tried} />}
      {form !== undefined && (
        <OpenForm {...{ form, rules, about, type, trial, tried }} people={here?.drawn.people} close={() => setForm(undefined)} />
      )}
    </>
  )
}

interface OpenFormProps {
  readonly form: Form
  readonly rules: Rules
  readonly about: About
  readonly type: string
  readonly trial: Trial
  readonly people: readonly string[] | undefined
  readonly close: () => void
  readonly tried: (next: Trial, person?: string) => void
}

function OpenForm({ form, rules, about, type, trial, people, close, tried }: OpenFormProps) {
  if (form.what === 'claims')
    return (
      <ClaimsForm
        rules={rules}
        person={form.person}
        people={people ?? about.people}
        everyone={about.everyone}
        close={close}
        done={(name, claims) => tried(withPerson(trial, { name, claims }), name)}
      />
    )
  const keys = about.types.find(({ name }) => name === type)?.keys ?? []
  return (
    <RecordForm
      rules={rules}
      type={type}
      recordKey={form.key}
      close={close}
      done={(record) => tried(withRecord(trial, { type, key: keyOf({ keys }, record), record }))}
    />
  )
}

type Found = ReturnType<typeof useAnswers>['found']

interface BesideProps {
  readonly side: NonNullable<Looking['side']>
  readonly live: Live
  /** The displayed matrix, once it is computed. */
  readonly here: Shown | undefined
  readonly rules: Rules
  readonly looking: Looking
  readonly look: Look
  readonly found: Found
  readonly tried: (next: Trial) => void
  readonly setForm: (form: Form) => void
  readonly point: ReturnType<typeof useMarks>['point']
  readonly open: OpenExample
}

/** The side panel: the rules, the findings, or the explanation of a cell. */
function Beside({ side, live, here, rules, looking, look, found, tried, setForm, point, open }: BesideProps) {
  const { about } = live
  const { type, trial, person } = looking
  const isOpen = here !== undefined && looking.key !== undefined
  const key = here?.drawn.keys.find((one) => String(one) === looking.key)
  const without = (title: string, action?: string) => tried(withoutRule(trial, { type, title, action }))
  return (
    <Side looking={looking} look={look} has={isOpen}>
      {side === 'rules' ? (
        <Rulebook of={here} rules={rules} looking={looking} look={look} point={point} without={without} />
      ) : side === 'findings' ? (
        <FindingsList live={live} rules={rules} trial={trial} tried={found} look={look} />
      ) : side === 'proofs' ? (
        <Proofs live={live} open={open} />
      ) : isOpen ? (
        <Why
          drawn={here.drawn}
          rules={rules}
          looking={looking}
          look={look}
          edit={(what) => setForm(what === 'record' ? { what, key } : { what, person })}
          remove={() => tried(withRecord(trial, { type, key: key as Key, record: null }))}
          canSave={about.canSave && about.people.includes(person ?? '')}
          without={without}
        />
      ) : (
        <p className="faint">Choose a cell to see why.</p>
      )}
    </Side>
  )
}

/** Errors in the files, or of the page's server. */
function Banners({ live }: { readonly live: Live }) {
  return (
    <>
      {live.problem !== undefined && (
        <p role="alert" className="banner">
          <strong>The files cannot be loaded, so this is the last state.</strong> {live.problem}
        </p>
      )}
      {live.isOver && <p className="banner faint">The pachter review command has stopped. This page no longer updates.</p>}
    </>
  )
}

interface TriedProps {
  readonly trial: Trial
  readonly found: Found
  readonly rules: Rules
  readonly canSave: boolean
  readonly look: Look
  readonly tried: (next: Trial) => void
}

/** The changes of the trial, and who gains and loses by them. */
function Tried({ trial, found, rules, canSave, look, tried }: TriedProps) {
  const answer = found.of === trial ? found : undefined
  return (
    <Tray
      label="Trial"
      heading={
        <>
          <strong>Trial, not saved:</strong>
          {changesOf(trial).map(({ words, without }) => (
            <span key={words} className="chip">
              {words}
              <button type="button" aria-label={`Remove ${words}`} onClick={() => tried(without)}>
                ×
              </button>
            </span>
          ))}
        </>
      }
      differences={answer?.differences}
      problem={answer?.problem}
      look={look}
    >
      <button type="button" className="plain" onClick={() => tried(NOTHING)}>
        Discard trial
      </button>
      {canSave && answer?.differences !== undefined && <SaveDifferences rules={rules} differences={answer.differences} />}
    </Tray>
  )
}

/** Saves the differences as expectations: the access without or with the trial. */
function SaveDifferences({ rules, differences }: { readonly rules: Rules; readonly differences: Differences }) {
  const [saved, save] = useSave(JSON.stringify(differences.first))
  const all = differences.gained + differences.lost
  if (all === 0) return null
  if (saved !== undefined) return <span className={saved.isProblem ? 'no' : ''}>{saved.text}</span>
  if (all > differences.first.length) return <span className="faint">Too many to save.</span>
  const saveAs = async (would: boolean) => {
    const there = await rules.areThere(differences.first)
    const cells = differences.first.flatMap(({ type, person, key, action, gained, fields }, at): CellToSave[] =>
      key === undefined || !there[at]
        ? []
        : [{ type, person, key, action, allowed: gained === would, ...(fields === undefined ? {} : { fields }) }],
    )
    await save({ cells })
  }
  return (
    <span>
      <button type="button" className="plain" title="Expect the access without this trial" onClick={() => void saveAs(false)}>
        Save current access as expectations
      </button>{' '}
      <button type="button" className="plain" title="Expect the access with this trial" onClick={() => void saveAs(true)}>
        Save tried access as expectations
      </button>
    </span>
  )
}
