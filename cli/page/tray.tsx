// The differences by the trial, or since the page was opened: who gains and who loses.
import { type ReactNode, useState } from 'react'
import type { Look } from './address.js'
import type { Difference, Differences } from './engine/types.js'

const MOST = 40

export function Tray({
  label,
  heading,
  differences,
  problem,
  look,
  children,
  isOpen = true,
}: {
  readonly label: string
  /** The changes that cause the differences. */
  readonly heading: ReactNode
  readonly differences: Differences | undefined
  readonly problem?: string | undefined
  readonly look: Look
  /** The available actions. */
  readonly children: ReactNode
  readonly isOpen?: boolean
}) {
  const [open, setOpen] = useState(isOpen)
  const [most, setMost] = useState(MOST)
  const all = differences === undefined ? 0 : differences.gained + differences.lost
  return (
    <section className="tray" aria-label={label}>
      <div className="tray-head">
        {heading}
        <span role="status">
          {problem !== undefined ? (
            <span className="no">{problem}</span>
          ) : differences === undefined ? (
            'Loading …'
          ) : all === 0 ? (
            'No changes in access.'
          ) : (
            <>
              <span className="yes">+ {differences.gained} gained</span>, <span className="no">− {differences.lost} lost</span>
            </>
          )}
        </span>
        {all > 0 && (
          <button type="button" className="plain" aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? 'Hide details' : 'Show details'}
          </button>
        )}
        {children}
      </div>
      {open && differences !== undefined && all > 0 && (
        <ul>
          {differences.first.slice(0, most).map((one) => (
            <li key={nameOf(one)}>
              <DifferenceButton of={one} look={look} />
            </li>
          ))}
          {all > most && (
            <li className="faint">
              and {(all - most).toLocaleString('en')} more
              {differences.first.length > most && (
                <button type="button" className="plain" onClick={() => setMost(differences.first.length)}>
                  Show {Math.min(all, differences.first.length) - most}
                </button>
              )}
            </li>
          )}
        </ul>
      )}
    </section>
  )
}

const nameOf = ({ type, person, key, action, gained, fields = [] }: Difference) => [type, person, key, action, gained, ...fields].join(' ')

/** A difference, with a link to its cell. */
export function DifferenceButton({
  of: { type, person, key, action, gained, fields },
  look,
}: {
  readonly of: Difference
  readonly look: Look
}) {
  return (
    <button
      type="button"
      className="plain"
      onClick={() =>
        look({
          type,
          mode: 'matrix',
          search: '',
          ...(key === undefined
            ? { person: undefined, key: undefined, action: undefined }
            : { person, key: String(key), action, side: 'why' as const }),
        })
      }
    >
      <span className={gained ? 'yes' : 'no'}>{gained ? '+' : '−'}</span> {person}: {action} {type} {key}
      {fields && `: ${fields.join(', ')}`}
    </button>
  )
}
