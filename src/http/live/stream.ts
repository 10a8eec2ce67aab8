import { jsonText } from '../../condition/index.js'
import type { OpenStreams } from './open-streams.js'
import type { LiveEvent } from './subscription.js'

/** How a stream is kept open. */
export interface StreamOptions {
  /** Authenticates again. Throws if the person is no longer signed in. */
  readonly recheck: () => Promise<boolean>
  /** The interval in milliseconds. */
  readonly recheckEvery: number
  /** The interval of keep-alive messages, in milliseconds. Proxies close idle connections. */
  readonly beat: number
  /** The message for a list that cannot be watched, if it is one of several. A single list then fails before the stream begins. */
  readonly refusal: (error: unknown) => { readonly status: number; readonly detail?: string | undefined }
}

/** This many events may wait for a slow reader. Beyond it, they are replaced by whole lists once the client reads again. */
const MOST_WAITING = 256

/** Subscribes; `hear` is called with every event. */
export type Watch = (hear: (event: LiveEvent) => void) => Promise<{ stop(): void; again(): void }>

/** An event to send. One with `stays` is sent even if the whole list is sent again. */
interface Waiting {
  readonly list: number
  readonly text: string
  readonly stays: boolean
}

/** Server-Sent Events (HTML standard, section 9.2) of one list. */
export async function eventStream(watch: Watch, options: StreamOptions): Promise<Response> {
  const lists = new EventStream(options, 'one')
  await lists.begin(watch, 0)
  return lists.response()
}

/**
 * The same of several lists over one connection, since browsers limit connections: every event names its `list`. The first event names the
 * stream, to which lists can be added.
 */
export async function eventStreamOfSeveral(
  watches: readonly Watch[],
  options: StreamOptions,
  streams: OpenStreams<EventStream>,
  me: string,
): Promise<Response> {
  const lists = new EventStream(options, 'several')
  lists.tellName(streams.add(me, lists))
  await lists.change(new Map(watches.entries()), [])
  return lists.response()
}

/** Writing waits for slow readers. */
export class EventStream {
  readonly #options: StreamOptions
  readonly #several: boolean
  readonly #encoder = new TextEncoder()
  readonly #timers: ReturnType<typeof setInterval>[] = []
  /** Lists by their numbers; undefined while one begins. */
  readonly #watched = new Map<number, Awaited<ReturnType<Watch>> | undefined>()
  /** Lists with skipped events. They are sent as a whole when the client reads again. */
  readonly #behind = new Set<number>()
  #waiting: Waiting[] = [{ list: -1, text: 'retry: 2000\n\n', stays: true }]
  #ended = false
  #number = 0
  #wake: (() => void) | undefined

  constructor(options: StreamOptions, lists: 'one' | 'several') {
    this.#options = options
    this.#several = lists === 'several'
  }

  /** Called when the stream has ended. */
  onEnd: () => void = () => undefined

  /** The highest number that a list has had. */
  highest = -1

  /** How many lists there are. */
  get size(): number {
    return this.#watched.size
  }

  async begin(watch: Watch, list: number): Promise<void> {
    this.#watched.set(list, undefined)
    this.highest = Math.max(this.highest, list)
    const one = await watch((event) => this.#watched.has(list) && this.#hear(list, event)).catch((error: unknown) => {
      this.#watched.delete(list)
      throw error
    })
    if (this.#ended || !this.#watched.has(list)) one.stop()
    else this.#watched.set(list, one)
  }

  /** Starts some lists and ends others. If one fails, an event reports it and the others continue. */
  async change(add: ReadonlyMap<number, Watch>, remove: readonly number[]): Promise<void> {
    const { refusal } = this.#options
    for (const list of remove) {
      this.#watched.get(list)?.stop()
      this.#watched.delete(list)
      this.#behind.delete(list)
      this.#waiting = this.#waiting.filter((one) => one.list !== list)
    }
    await Promise.all(
      [...add].map(([list, watch]) => this.begin(watch, list).catch((error: unknown) => this.#tell(list, 'refused', refusal(error), true))),
    )
  }

  tellName(id: string): void {
    this.#tell(-1, 'stream', { id }, true)
  }

  response(): Response {
    this.#keepUp()
    return new Response(this.#body(), {
      headers: { 'content-type': 'text/event-stream; charset=utf-8', 'cache-control': 'no-store', 'x-accel-buffering': 'no' },
    })
  }

  /** Sends keep-alive messages and authenticates again at intervals. */
  #keepUp(): void {
    if (this.#ended) return
    const { beat, recheck, recheckEvery } = this.#options
    this.#every(beat, () => {
      if (this.#waiting.length === 0) this.#say(-1, ': still here\n\n', false)
    })
    // The person or their claims changed: end the stream, so that the client starts again.
    const over = () => this.#hear(0, { event: 'ended', why: 'sign in' })
    this.#every(recheckEvery, () => {
      recheck().then((same) => {
        if (!same) over()
      }, over)
    })
  }

  #body(): ReadableStream<Uint8Array> {
    return new ReadableStream<Uint8Array>(
      {
        pull: async (controller) => {
          if (this.#waiting.length === 0 && !this.#ended) for (const list of this.#behind) this.#watched.get(list)?.again()
          await this.#something()
          const text = this.#waiting
            .splice(0)
            .map((one) => one.text)
            .join('')
          if (text !== '') controller.enqueue(this.#encoder.encode(text))
          if (this.#ended) controller.close()
        },
        cancel: () => this.#finish(),
      },
      { highWaterMark: 0 },
    )
  }

  /** Waits until there is an event to send, or the stream has ended. */
  async #something(): Promise<void> {
    while (this.#waiting.length === 0 && !this.#ended) {
      await new Promise<void>((resolve) => {
        this.#wake = resolve
      })
      this.#wake = undefined
    }
  }

  #hear(list: number, { event, ...about }: LiveEvent): void {
    const isOfRecords = event !== 'ended' && event !== 'rules'
    if (event === 'listed') {
      this.#waiting = this.#waiting.filter((one) => one.list !== list || one.stays)
      this.#behind.delete(list)
    } else if (isOfRecords && this.#isLeftOut(list)) return
    const isOver = event === 'ended' && (!this.#several || (about as { why?: string }).why === 'sign in')
    this.#tell(event === 'rules' || isOver ? -1 : list, event, about, !isOfRecords)
    if (isOver) this.#finish()
  }

  /** Whether an event of this list is skipped because too many are waiting. */
  #isLeftOut(list: number): boolean {
    if (this.#behind.has(list)) return true
    if (this.#waiting.length < MOST_WAITING) return false
    for (const one of this.#waiting) if (!one.stays) this.#behind.add(one.list)
    this.#behind.add(list)
    this.#waiting = this.#waiting.filter((one) => one.stays)
    return true
  }

  #tell(list: number, event: string, about: object, stays: boolean): void {
    this.#say(list, eventText(event, this.#several && list >= 0 ? { list, ...about } : about, ++this.#number), stays)
  }

  #say(list: number, text: string, stays: boolean): void {
    if (this.#ended) return
    this.#waiting.push({ list, text, stays })
    this.#wake?.()
  }

  #every(time: number, work: () => void): void {
    const timer = setInterval(work, time)
    timer.unref?.()
    this.#timers.push(timer)
  }

  #finish(): void {
    this.#ended = true
    for (const timer of this.#timers) clearInterval(timer)
    for (const one of this.#watched.values()) one?.stop()
    this.#watched.clear()
    this.onEnd()
    this.#wake?.()
  }
}

/** One event. Its data is JSON on one line. */
function eventText(event: string, about: object, number: number): string {
  return `id: ${number}\nevent: ${event}\ndata: ${jsonText(about)}\n\n`
}
