// The worker with the rules. It answers questions in order, except those that take long.

import type { ExampleWorld, Ground, Project } from 'pachter/internal/review'
import { type Engine, engineOf, engineOn } from './engine/index.js'
import { pack } from './engine/parcel.js'
import type { Drawn, Shown } from './engine/types.js'

export interface WorkerRequest {
  readonly number: number
  readonly what: 'open' | 'begin' | 'compareWith' | 'openExample' | 'closeExample' | Exclude<keyof Engine, 'ground'>
  readonly given: readonly unknown[]
}

export type Answered = { readonly number: number } & ({ readonly answer: unknown } | { readonly problem: string })

/** Answers about what is displayed: the project, or an example. */
let engine: Engine | undefined
let project: Project | undefined
/** The project's own engine. */
let own: Engine | undefined

/** An example of something that should not be possible, and its title. */
export interface OpenExample {
  readonly title: string
  readonly world: ExampleWorld
}

let example: OpenExample | undefined

/** The state to compare with: when the page was opened or the comparison was reset, or before the last save. */
export type ComparedState = 'opened' | 'last save'

let compared: ComparedState = 'opened'
let since: Ground | undefined
let beforeSave: Ground | undefined

/** Opens a project or a new version of it. @throws RulebookError, ClaimsError */
function open(next: Project) {
  const again = own !== undefined
  beforeSave = own?.ground
  const opened = engineOf(next, comparedGround())
  own = opened
  engine = opened
  project = next
  if (!again) since = opened.ground
  if (example === undefined) return opened.about()
  try {
    return openExample(example)
  } catch {
    return opened.about()
  }
}

/** Shows an example by the current rules in place of the project's own people and records. */
function openExample(next: OpenExample) {
  const { everyone: _everyone, ...rest } = project as Project
  const { people, records, now } = next.world
  try {
    engine = engineOf({ ...rest, people, records, now, canSave: false, example: next.title })
    example = next
  } catch (error) {
    // The rules have changed so much that it does not fit them anymore.
    closeExample()
    throw error
  }
  return engine.about()
}

function closeExample() {
  example = undefined
  engine = own as Engine
  return engine.about()
}

const comparedGround = () => (compared === 'last save' ? beforeSave : since)

/** Compares with another state. */
function compareWith(state: ComparedState): void {
  compared = state
  show(engineOn((own as Engine).ground, project as Project, comparedGround()))
}

/** Discards the previous states. */
function begin(): void {
  since = own?.ground
  beforeSave = since
  show(engineOn(since as Ground, project as Project))
}

function show(next: Engine): void {
  if (engine === own) engine = next
  own = next
}

/** The matrices that the page has. */
const sent = new Map<string, Drawn>()

/** Packs the display for a page that has the previous one. */
function packed(shown: Shown) {
  const { drawn } = shown
  const parcel = pack(shown, sent.get(drawn.type))
  sent.set(drawn.type, drawn)
  return parcel
}

const rehearsed = new WeakMap<Engine, Set<string>>()

/** Prepares for trials of a type, once, when there is nothing else to do. */
function makeReady(of: Engine, type: string): void {
  const done = rehearsed.get(of) ?? new Set()
  if (done.has(type)) return
  rehearsed.set(of, done.add(type))
  const rehearse = (times: number) => {
    if (of !== engine) return
    of.rehearse(type)
    // Code reaches its full speed after some runs.
    if (times > 1) setTimeout(rehearse, 20, times - 1)
  }
  setTimeout(rehearse, 50, 4)
}

async function answer({ what, given }: WorkerRequest): Promise<unknown> {
  if (what === 'open') return open(given[0] as Project)
  if (what === 'openExample') return openExample(given[0] as OpenExample)
  if (what === 'closeExample') return closeExample()
  if (engine === undefined) throw new Error('nothing is open yet')
  if (what === 'begin') return begin()
  if (what === 'compareWith') return compareWith(given[0] as ComparedState)
  if (what === 'matrix') return packed(engine.matrix(given[0] as string))
  if (what === 'try') {
    makeReady(engine, given[1] as string)
    const { differences, shown } = engine.try(...(given as Parameters<Engine['try']>))
    return { differences, shown: packed(shown) }
  }
  return (engine[what] as (...all: unknown[]) => unknown)(...given)
}

self.addEventListener('message', async ({ data }: MessageEvent<WorkerRequest>) => {
  const { number } = data
  try {
    self.postMessage({ number, answer: await answer(data) } satisfies Answered)
  } catch (error) {
    self.postMessage({ number, problem: error instanceof Error ? error.message : String(error) } satisfies Answered)
  }
})
