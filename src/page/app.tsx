// The page: which records one looks at and how, the matrix or the lists, and the cell that is open.
import { useEffect, useMemo, useState } from 'react'
import { type Looking, useLooking } from './address.js'
import type { Drawn } from './engine.js'
import { Lists } from './lists.js'
import { Matrix } from './matrix.js'
import type { About, Rules } from './rules.js'
import { Why } from './why.js'

export function App({ about, rules }: { readonly about: About; readonly rules: Rules }) {
  const types = useMemo(() => about.types.map(({ name }) => name), [about])
  const [looking, look] = useLooking(types)
  const { type, mode } = looking
  const [drawn, setDrawn] = useState<Drawn>()
  const [problem, setProblem] = useState<string>()
  useEffect(() => {
    let gone = false
    setProblem(undefined)
    rules.matrix(type).then(
      (next) => !gone && setDrawn(next),
      (error: Error) => !gone && setProblem(error.message),
    )
    return () => {
      gone = true
    }
  }, [rules, type])
  const here = drawn?.type === type ? drawn : undefined
  return (
    <>
      <Head about={about} looking={looking} look={look} />
      <div className={here && looking.key !== undefined ? 'desk with-why' : 'desk'}>
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
        {here !== undefined && looking.key !== undefined && <Why drawn={here} rules={rules} looking={looking} look={look} />}
      </div>
    </>
  )
}

interface Shared {
  readonly looking: Looking
  readonly look: (changes: Partial<Looking>) => void
}

function Head({ about, looking, look }: Shared & { readonly about: About }) {
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
      </div>
    </header>
  )
}
