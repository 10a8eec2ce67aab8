// What is proved and refuted for every person and all records, and the examples.

import type { ProofFindings, ProofStatement } from 'pachter/internal/review'
import { useState } from 'react'
import type { OpenExample } from './examples.js'
import type { Live } from './live.js'
import { Place } from './parts/place.js'
import { send } from './save.js'

const TITLES = { guarantee: 'Guarantees', 'self-promotion': 'Self-promotion', 'idle-rule': 'Rules that do nothing' } as const

export function Proofs({ live, open }: { readonly live: Live; readonly open: OpenExample }) {
  const { proofs, proving } = live
  return (
    <>
      <h2>Proofs</h2>
      <p className="faint">For every person and all records, not only for these.</p>
      {proofs === undefined ? (
        <p className="faint" role="status">
          Proving the guarantees …
        </p>
      ) : proofs === null ? (
        <p className="faint">This copy contains no proofs.</p>
      ) : (
        proofs.parts.map(({ kind, summary }) => <Part key={kind} {...{ kind, summary, proofs, open }} />)
      )}
      {proofs && proofs.parts.length < Object.keys(TITLES).length && <More proving={proving} />}
    </>
  )
}

type PartProps = ProofFindings['parts'][number] & { readonly proofs: ProofFindings; readonly open: OpenExample }

function Part({ kind, summary, proofs, open }: PartProps) {
  const all = proofs.statements.filter((one) => one.kind === kind)
  const isOpen = ({ outcome }: ProofStatement) => outcome === 'refuted' || outcome === 'undecided' || outcome === 'does nothing'
  const rest = all.filter((one) => !isOpen(one))
  return (
    <section aria-label={TITLES[kind]}>
      <h3>{TITLES[kind]}</h3>
      <p>{summary}</p>
      <List all={all.filter(isOpen)} open={open} />
      {kind === 'self-promotion' && proofs.unused.map((text) => <p key={text}>{text}</p>)}
      {rest.length > 0 && (
        <details>
          <summary>Show what is {kind === 'guarantee' ? 'proved' : 'accepted'}</summary>
          <List all={rest} open={open} />
        </details>
      )}
    </section>
  )
}

function List({ all, open }: { readonly all: readonly ProofStatement[]; readonly open: OpenExample }) {
  if (all.length === 0) return null
  return (
    <ul className="findings">
      {all.map((one) => (
        <li key={`${one.kind} ${one.type} ${one.title} ${one.outcome}`}>
          <Statement of={one} open={open} />
        </li>
      ))}
    </ul>
  )
}

function Statement({ of, open }: { readonly of: ProofStatement; readonly open: OpenExample }) {
  const { outcome, type, title, lines, because, place, example } = of
  const [problem, setProblem] = useState<string>()
  const isGood = outcome === 'proved' || outcome === 'accepted'
  return (
    <>
      <span className={isGood ? 'yes' : 'no'}>{outcome}</span> {type}: {title} <Place place={place} />
      {because !== undefined && <p className="problem faint">{because}</p>}
      {lines.length > 0 && <pre className="example">{lines.join('\n')}</pre>}
      {example !== undefined && (
        <p className="buttons">
          <button type="button" onClick={() => void open(of).catch((error: Error) => setProblem(error.message))}>
            Open example
          </button>
          {problem !== undefined && <span className="no">{problem}</span>}
        </p>
      )}
    </>
  )
}

function More({ proving }: Pick<Live, 'proving'>) {
  return (
    <section aria-label="More proofs">
      <h3>Self-promotion, and rules that do nothing</h3>
      <p className="faint">Looks for writes by which people give themselves more, and for rules that make no difference.</p>
      {proving !== undefined ? (
        <p role="status">
          {proving[0]}: {proving[1]} …
        </p>
      ) : (
        <p className="buttons">
          <button type="button" onClick={() => void send('./prove', {})}>
            Prove the rest
          </button>
        </p>
      )}
    </section>
  )
}

/** The number of statements that are not proved and not accepted. */
export function openProofs({ statements }: ProofFindings): number {
  return statements.filter(({ outcome }) => outcome === 'refuted' || outcome === 'undecided').length
}
