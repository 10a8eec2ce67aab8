// The side panel, with one thing at a time.
import type { ReactNode } from 'react'
import type { Look, Looking } from './address.js'

export function Side({
  looking: { side, person, key, type },
  look,
  has,
  children,
}: {
  readonly looking: Looking
  readonly look: Look
  /** Whether a cell is open. */
  readonly has: boolean
  readonly children: ReactNode
}) {
  const title = { why: 'Why', rules: 'Rules', findings: 'Findings', proofs: 'Proofs' }[side ?? 'why']
  const close = () => look(side === 'why' ? { side: undefined, key: undefined, person: undefined, action: undefined } : { side: undefined })
  return (
    <aside className="side" aria-label={title}>
      <div className="side-head">
        {has && side !== 'why' && (
          <button type="button" className="plain" onClick={() => look({ side: 'why' })}>
            ‹ {person} and {type} {key}
          </button>
        )}
        <button type="button" className="close" onClick={close} aria-label="Close">
          ×
        </button>
      </div>
      {children}
    </aside>
  )
}
