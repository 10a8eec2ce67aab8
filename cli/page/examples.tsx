// An example of something that should not be possible, in place of the project's own people and records.

import type { ProofStatement } from 'pachter/internal/review'
import { useCallback, useEffect } from 'react'
import type { Away, Look } from './address.js'
import type { Examples } from './live.js'
import { NOTHING, withRecord } from './trial.js'

/** Opens the example of a statement. */
export type OpenExample = (statement: ProofStatement) => Promise<void>

/** Opens an example in place of the project. Going back in the browser returns to the project. */
export function useExamples(shown: string | undefined, examples: Examples, look: Look, away: Away): OpenExample {
  const isShown = shown !== undefined
  useEffect(() => {
    if (!isShown) return
    const close = () => void examples.close()
    addEventListener('popstate', close)
    return () => removeEventListener('popstate', close)
  }, [isShown, examples])
  useEffect(() => {
    if (!isShown) away.back()
  }, [isShown, away])
  return useCallback(
    async ({ type, title, example }: ProofStatement) => {
      if (example === undefined) return
      const { cell, write } = example
      await examples.open(`${type}: ${title}${write === undefined ? '' : ' (the write is a trial)'}`, example)
      away.leave()
      look({
        mode: 'matrix',
        search: '',
        group: '',
        differing: false,
        rule: undefined,
        trial: write === undefined ? NOTHING : withRecord(NOTHING, write),
        ...(cell === undefined
          ? { person: undefined, key: undefined, action: undefined }
          : { type: cell.type, person: cell.person, key: String(cell.key), action: cell.action, side: 'why' }),
      })
    },
    [examples, look, away],
  )
}

export function ExampleBanner({ title, now, look }: { readonly title: string; readonly now: string; readonly look: Look }) {
  return (
    <section className="banner example-banner" aria-label="Example">
      <span>
        <strong>Example, made up:</strong> {title} <span className="faint">at {now.replace('T', ' ').replace(/:\d\d\.\d+Z$/, ' UTC')}</span>
      </span>{' '}
      <button type="button" className="plain" onClick={() => look({ side: 'proofs' })}>
        Show proofs
      </button>{' '}
      <button type="button" className="plain" onClick={() => history.back()}>
        Close example
      </button>
    </section>
  )
}
