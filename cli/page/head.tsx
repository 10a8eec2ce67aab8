// The controls: type, mode and filters.

import type { Look, Looking } from './address.js'
import type { Live } from './live.js'
import { openProofs } from './proofs.js'

export function Head({
  live,
  looking,
  look,
  people,
  add,
}: {
  readonly live: Live
  readonly looking: Looking
  readonly look: Look
  readonly people: readonly string[]
  /** Opens a form. */
  readonly add: (form: { readonly what: 'record' | 'claims' }) => void
}) {
  const { about } = live
  const { type, mode, search, side } = looking
  const nothingOpen = {
    person: undefined,
    key: undefined,
    action: undefined,
    rule: undefined,
    ...(side === 'why' ? { side: undefined } : {}),
  }
  return (
    <header className="head">
      <button
        type="button"
        className="skip"
        onClick={() => document.getElementById('main')?.querySelector<HTMLElement>('[tabindex="0"]')?.focus()}
      >
        Skip to the records
      </button>
      <Title {...{ live, looking, look }} />
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
          <legend className="unseen">View</legend>
          {(['matrix', 'lists'] as const).map((one) => (
            <label key={one} className={mode === one ? 'on' : ''}>
              <input type="radio" name="mode" checked={mode === one} onChange={() => look({ mode: one })} />
              {one === 'matrix' ? 'Matrix' : 'Lists'}
            </label>
          ))}
        </fieldset>
        <label>
          Search{' '}
          <input type="search" value={search} placeholder="Name or key" onChange={(event) => look({ search: event.currentTarget.value })} />
        </label>
        {mode === 'matrix' && <MatrixOptions {...{ looking, look, people }} />}
        <button
          type="button"
          className="toggle"
          title={`Try an additional ${type}. Nothing is written.`}
          onClick={() => add({ what: 'record' })}
        >
          Add record
        </button>
        <button
          type="button"
          className="toggle"
          title="Try an additional person. Nothing is written."
          onClick={() => add({ what: 'claims' })}
        >
          Add person
        </button>
      </div>
    </header>
  )
}

interface TitleProps {
  readonly live: Live
  readonly looking: Looking
  readonly look: Look
}

function Title({ live: { about, findings, proofs }, looking: { side, key }, look }: TitleProps) {
  const counts = { rules: undefined, findings: findings ? countOf(findings) : undefined, proofs: proofs ? openProofs(proofs) : undefined }
  return (
    <div className="title">
      <h1>
        Access review <span className="faint">{about.title}: who may read, create, change or delete which record, and why</span>
      </h1>
      {(about.example === undefined ? TABS : TABS.filter((one) => one !== 'findings')).map((one) => (
        <button
          key={one}
          type="button"
          className="toggle"
          aria-pressed={side === one}
          onClick={() => look({ side: side === one ? (key === undefined ? undefined : 'why') : one })}
        >
          {NAMES[one]}
          <Count of={counts[one]} none={one === 'proofs' ? 'none refuted' : 'none'} />
        </button>
      ))}
    </div>
  )
}

const TABS = ['rules', 'findings', 'proofs'] as const
const NAMES = { rules: 'Rules', findings: 'Findings', proofs: 'Proofs' } as const

function Count({ of, none }: { readonly of: number | undefined; readonly none: string }) {
  if (of === undefined) return null
  return <span className={of > 0 ? 'no' : 'faint'}> {of > 0 ? of : none}</span>
}

interface MatrixOptionsProps {
  readonly looking: Looking
  readonly look: Look
  readonly people: readonly string[]
}

function MatrixOptions({ looking: { group, differing }, look, people }: MatrixOptionsProps) {
  return (
    <>
      <label>
        Group by standing{' '}
        <select value={group} onChange={(event) => look({ group: event.currentTarget.value })}>
          <option value="">none</option>
          {people.map((person) => (
            <option key={person}>{person}</option>
          ))}
        </select>
      </label>
      <label className="check">
        <input type="checkbox" checked={differing} onChange={(event) => look({ differing: event.currentTarget.checked })} /> Show
        differences only
      </label>
    </>
  )
}

/** The number of findings that need attention. */
export function countOf({ expectations, drift }: NonNullable<Live['findings']>): number {
  const failing = 'problem' in expectations ? 1 : expectations.failing.length
  const moved =
    drift === undefined
      ? 0
      : 'problem' in drift
        ? 1
        : [drift.gained, drift.lost, drift.creates, drift.grants, drift.rules].reduce((sum, { length }) => sum + length, 0)
  return failing + moved
}
