// The page: which records one looks at and how, the matrix or the lists, and the cell that is open.
import { useEffect, useMemo, useState } from 'react'
import type { Key } from '../rulebook/index.js'
import { type Looking, useLooking } from './address.js'
import type { Difference, Drawn, Trial } from './engine.js'
import { Lists } from './lists.js'
import { Matrix } from './matrix.js'
import type { About, Rules } from './rules.js'
import { Tray } from './tray.js'
import { NOTHING, withoutRule, withPerson, withRecord } from './trial.js'
import { ClaimsForm, RecordForm } from './try-forms.js'
import { Why } from './why.js'

export function App({ about, rules }: { readonly about: About; readonly rules: Rules }) {
  const types = useMemo(() => about.types.map(({ name }) => name), [about])
  const [looking, look] = useLooking(types)
  const { type, mode } = looking
  const [trial, setTrial] = useState(NOTHING)
  const [found, setFound] = useState<{ readonly of: Trial; readonly differences?: readonly Difference[]; readonly problem?: string }>({
    of: NOTHING,
  })
  const [form, setForm] = useState<Form>()
  const [drawn, setDrawn] = useState<Drawn>()
  const [problem, setProblem] = useState<string>()
  useEffect(() => {
    let gone = false
    rules.try(trial).then(
      (differences) => !gone && setFound({ of: trial, differences }),
      (error: Error) => !gone && setFound({ of: trial, problem: error.message }),
    )
    return () => {
      gone = true
    }
  }, [rules, trial])
  useEffect(() => {
    let gone = false
    setProblem(undefined)
    // After what is tried has been taken up: it was asked before.
    rules.matrix(type).then(
      (next) => !gone && setDrawn(next),
      (error: Error) => !gone && setProblem(error.message),
    )
    return () => {
      gone = true
    }
  }, [rules, type, trial])
  const here = drawn?.type === type ? drawn : undefined
  const open = here !== undefined && looking.key !== undefined
  const keyOf = (of: Drawn) => of.keys.find((one) => String(one) === looking.key)
  return (
    <>
      <Head about={about} looking={looking} look={look} add={setForm} />
      <div className={open ? 'desk with-why' : 'desk'}>
        <main id="main" aria-label={mode === 'matrix' ? `Who may do what to each ${type}` : `Lists of ${type} records`}>
          {problem !== undefined && <p role="alert">{problem}</p>}
          {here === undefined ? (
            <p role="status" className="faint">
              Working it out …
            </p>
          ) : mode === 'matrix' ? (
            <Matrix drawn={here} looking={looking} look={look} />
          ) : (
            <Lists drawn={here} rules={rules} looking={looking} look={look} />
          )}
        </main>
        {open && (
          <Why
            drawn={here}
            rules={rules}
            looking={looking}
            look={look}
            edit={(what) => setForm(what === 'record' ? { what, key: keyOf(here) } : { what, person: looking.person })}
            remove={() => setTrial(withRecord(trial, { type, key: keyOf(here) as string, record: null }))}
            keeps={about.canKeep && about.people.includes(looking.person ?? '')}
            without={(title) => setTrial(withoutRule(trial, { type, title }))}
          />
        )}
      </div>
      <Tray
        trial={trial}
        set={setTrial}
        differences={found.of === trial ? found.differences : undefined}
        problem={found.of === trial ? found.problem : undefined}
        look={look}
      />
      {form?.what === 'record' && (
        <RecordForm
          rules={rules}
          type={type}
          recordKey={form.key}
          close={() => setForm(undefined)}
          done={(record) => {
            const key = record[about.types.find(({ name }) => name === type)?.key as string] as string
            setTrial(withRecord(trial, { type, key, record }))
            setForm(undefined)
          }}
        />
      )}
      {form?.what === 'claims' && (
        <ClaimsForm
          rules={rules}
          person={form.person}
          people={here?.people ?? about.people}
          close={() => setForm(undefined)}
          done={(name, claims) => {
            setTrial(withPerson(trial, { name, claims }))
            setForm(undefined)
          }}
        />
      )}
    </>
  )
}

/** The form that is open. */
type Form = { readonly what: 'record'; readonly key?: Key | undefined } | { readonly what: 'claims'; readonly person?: string | undefined }

interface Shared {
  readonly looking: Looking
  readonly look: (changes: Partial<Looking>) => void
}

function Head({ about, looking, look, add }: Shared & { readonly about: About; readonly add: (form: Form) => void }) {
  const { type, mode, search, differing } = looking
  const nothingOpen = { person: undefined, key: undefined, action: undefined }
  return (
    <header className="head">
      <button
        type="button"
        className="skip"
        onClick={() => document.getElementById('main')?.querySelector<HTMLElement>('[tabindex="0"]')?.focus()}
      >
        To the records
      </button>
      <h1>
        Everybody’s eyes <span className="faint">{about.title}</span>
      </h1>
      <div className="controls">
        <label>
          Records{' '}
          <select value={type} onChange={(event) => look({ type: event.currentTarget.value, ...nothingOpen })}>
            {about.types.map(({ name, count }) => (
              <option key={name} value={name}>
                {name} ({count})
              </option>
            ))}
          </select>
        </label>
        <fieldset className="modes">
          <legend className="unseen">How</legend>
          {(['matrix', 'lists'] as const).map((one) => (
            <label key={one} className={mode === one ? 'on' : ''}>
              <input type="radio" name="mode" checked={mode === one} onChange={() => look({ mode: one })} />
              {one === 'matrix' ? 'Who may do what' : 'Side by side'}
            </label>
          ))}
        </fieldset>
        <label>
          Find{' '}
          <input
            type="search"
            value={search}
            placeholder="a record or a person"
            onChange={(event) => look({ search: event.currentTarget.value })}
          />
        </label>
        <label className="check">
          <input type="checkbox" checked={differing} onChange={(event) => look({ differing: event.currentTarget.checked })} /> only where
          they differ
        </label>
        <span>
          Try{' '}
          <button type="button" className="plain" onClick={() => add({ what: 'record' })}>
            one more {type}
          </button>
          ,{' '}
          <button type="button" className="plain" onClick={() => add({ what: 'claims' })}>
            somebody else
          </button>
        </span>
      </div>
    </header>
  )
}
