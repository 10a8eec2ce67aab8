// What is tried, and who gains and who loses by it.
import { useMemo, useState } from 'react'
import type { Looking } from './address.js'
import type { Difference, Trial } from './engine.js'
import { changesOf, NOTHING } from './trial.js'

const MOST = 200

export function Tray({
  trial,
  set,
  differences,
  problem,
  look,
}: {
  readonly trial: Trial
  readonly set: (trial: Trial) => void
  readonly differences: readonly Difference[] | undefined
  readonly problem: string | undefined
  readonly look: (changes: Partial<Looking>) => void
}) {
  const [open, setOpen] = useState(true)
  const gained = useMemo(() => differences?.filter((one) => one.gained).length ?? 0, [differences])
  const changes = changesOf(trial)
  if (changes.length === 0) return null
  const lost = (differences?.length ?? 0) - gained
  return (
    <section className="tray" aria-label="What is tried">
      <div className="tray-head">
        <strong>Tried, and written nowhere:</strong>
        {changes.map(({ words, without }) => (
          <span key={words} className="chip">
            {words}
            <button type="button" aria-label={`Without ${words}`} onClick={() => set(without)}>
              ×
            </button>
          </span>
        ))}
        <span role="status">
          {problem !== undefined ? (
            <span className="no">{problem}</span>
          ) : differences === undefined ? (
            'Working it out …'
          ) : differences.length === 0 ? (
            'Nobody gains or loses anything.'
          ) : (
            <>
              <span className="yes">+ {gained} gained</span>, <span className="no">− {lost} lost</span>
            </>
          )}
        </span>
        {(differences?.length ?? 0) > 0 && (
          <button type="button" className="plain" aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? 'Less' : 'Who and what'}
          </button>
        )}
        <button type="button" className="plain" onClick={() => set(NOTHING)}>
          Throw it away
        </button>
      </div>
      {open && differences !== undefined && differences.length > 0 && (
        <ul>
          {differences.slice(0, MOST).map(({ type, person, key, action, gained: isGained }) => (
            <li key={`${type} ${person} ${key} ${action}`}>
              <button
                type="button"
                className="plain"
                onClick={() => look({ type, mode: 'matrix', person, key: String(key), action, search: '' })}
              >
                <span className={isGained ? 'yes' : 'no'}>{isGained ? '+' : '−'}</span> {person}: {action} {type} {key}
              </button>
            </li>
          ))}
          {differences.length > MOST && <li className="faint">and {differences.length - MOST} more</li>}
        </ul>
      )}
    </section>
  )
}
