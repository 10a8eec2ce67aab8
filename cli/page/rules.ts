// Sends questions to the rules in the worker.
import type { Project } from 'pachter/internal/review'
import type { Engine } from './engine/index.js'
import { type Sent, unpack } from './engine/parcel.js'
import type { Differences, Drawn, Shown } from './engine/types.js'
import type { Answered, ComparedState, OpenExample, WorkerRequest } from './worker.js'

export type About = ReturnType<Engine['about']>

type Questions = Omit<Engine, 'ground'>

/** The engine's functions, with asynchronous results. */
export type Rules = {
  readonly [K in keyof Questions]: (...given: Parameters<Questions[K]>) => Promise<Awaited<ReturnType<Questions[K]>>>
} & {
  /** Opens a new version of the project. */
  open(project: Project): Promise<About>
  /** Makes the current state the one to compare with. */
  begin(): Promise<void>
  /** Compares with another state from now on. */
  compareWith(state: ComparedState): Promise<void>
  /** Shows an example by the current rules in place of the project's own people and records. */
  openExample(example: OpenExample): Promise<About>
  closeExample(): Promise<About>
}

/** Starts the worker. */
export function startRules(): Rules {
  const worker = new Worker(new URL('./worker.ts', import.meta.url), { type: 'module' })
  const waiting = new Map<number, { readonly done: (answer: unknown) => void; readonly failed: (error: Error) => void }>()
  let last = 0
  worker.addEventListener('message', ({ data }: MessageEvent<Answered>) => {
    const one = waiting.get(data.number)
    waiting.delete(data.number)
    if ('problem' in data) one?.failed(new Error(data.problem))
    else one?.done(data.answer)
  })
  worker.addEventListener('error', (event) => {
    for (const { failed } of waiting.values()) failed(new Error(event.message || 'The rules cannot be worked out here.'))
    waiting.clear()
  })
  const of =
    (what: WorkerRequest['what']) =>
    (...given: readonly unknown[]) =>
      new Promise<never>((done, failed) => {
        last++
        waiting.set(last, { done: done as (answer: unknown) => void, failed })
        worker.postMessage({ number: last, what, given } satisfies WorkerRequest)
      })
  const had = new Map<string, Drawn>()
  const unpacked = (sent: Sent): Shown => {
    const shown = unpack(sent, had.get(sent.type))
    had.set(sent.type, shown.drawn)
    return shown
  }
  const questions = [
    'about',
    'drift',
    'why',
    'rules',
    'grants',
    'marks',
    'standings',
    'list',
    'failing',
    'areThere',
    'form',
    'record',
    'claims',
    'peopleWith',
  ] as const
  const matrix = of('matrix') as (...given: readonly unknown[]) => Promise<Sent>
  const attempt = of('try') as (...given: readonly unknown[]) => Promise<{ differences: Differences; shown: Sent }>
  return {
    ...Object.fromEntries(
      [...questions, ...(['open', 'begin', 'compareWith', 'openExample', 'closeExample'] as const)].map((what) => [what, of(what)]),
    ),
    matrix: async (type: string) => unpacked(await matrix(type)),
    try: async (...given: Parameters<Questions['try']>) => {
      const { differences, shown } = await attempt(...given)
      return { differences, shown: unpacked(shown) }
    },
  } as unknown as Rules
}
