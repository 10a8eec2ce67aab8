// Questions to the rules, which work beside the page.
import type { Project } from '../review/project.js'
import type { Engine } from './engine.js'
import type { Answered, Asked } from './worker.js'

export type About = ReturnType<Engine['about']>

/** Everything of the engine, answered later. */
export type Rules = { readonly [K in keyof Engine]: (...given: Parameters<Engine[K]>) => Promise<ReturnType<Engine[K]>> }

/** Opens a project beside the page. */
export async function openRules(project: Project): Promise<{ readonly about: About; readonly rules: Rules }> {
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
  const ask = (what: Asked['what'], given: readonly unknown[]) =>
    new Promise<never>((done, failed) => {
      last++
      waiting.set(last, { done: done as (answer: unknown) => void, failed })
      worker.postMessage({ number: last, what, given } satisfies Asked)
    })
  const about: About = await ask('open', [project])
  const of =
    <K extends keyof Engine>(what: K) =>
    (...given: Parameters<Engine[K]>) =>
      ask(what, given)
  return {
    about,
    rules: {
      about: of('about'),
      matrix: of('matrix'),
      why: of('why'),
      list: of('list'),
      try: of('try'),
      form: of('form'),
      record: of('record'),
      claims: of('claims'),
    },
  }
}
