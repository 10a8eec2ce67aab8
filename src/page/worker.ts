// The rules, off the page's own thread: what is asked is answered in the order in which it comes.
import { type Engine, engineOf } from './engine.js'

export interface Asked {
  readonly number: number
  readonly what: 'open' | keyof Engine
  readonly given: readonly unknown[]
}

export type Answered = { readonly number: number } & ({ readonly answer: unknown } | { readonly problem: string })

let engine: Engine | undefined

self.addEventListener('message', ({ data: { number, what, given } }: MessageEvent<Asked>) => {
  try {
    if (what === 'open') engine = engineOf(given[0] as never)
    if (engine === undefined) throw new Error('nothing is open yet')
    const answer = what === 'open' ? engine.about() : (engine[what] as (...all: unknown[]) => unknown)(...given)
    self.postMessage({ number, answer } satisfies Answered)
  } catch (error) {
    self.postMessage({ number, problem: error instanceof Error ? error.message : String(error) } satisfies Answered)
  }
})
