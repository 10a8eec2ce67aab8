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
  readonly refusal?: (error: unknown) => { readonly status: number; readonly detail?: string | undefined }
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

/**
 * Server-Sent Events (HTML standard, section 9.2): of one list, or of several over one connection, since browsers limit connections. With
 * several, every event names its `list`. Writing waits for slow readers.
 */
export async function eventStream(watches: Watch | readonly Watch[], options: StreamOptions): Promise<Response> {
  const lists = new EventStream(options, typeof watches === 'function' ? 'one' : 'several')
  if (typeof watches === 'function') await lists.begin(watches, 0)
  else await lists.beginAll(watches)
  lists.keepUp()
  return new Response(lists.body(), {
    headers: { 'content-type': 'text/event-stream; charset=utf-8', 'cache-control': 'no-store', 'x-accel-buffering': 'no' },
  })
}

class EventStream {
  readonly #options: StreamOptions
  readonly #several: boolean
  readonly #encoder = new TextEncoder()
  readonly #timers: ReturnType<typeof setInterval>[] = []
  readonly #watched: (Awaited<ReturnType<Watch>> | undefined)[] = []
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

  async begin(watch: Watch, list: number): Promise<void> {
    const one = await watch((event) => this.#hear(list, event))
    if (this.#ended) one.stop()
    else this.#watched[list] = one
  }

  /** Starts all lists. If one of several fails, an event reports it and the others continue. */
  async beginAll(watches: readonly Watch[]): Promise<void> {
    const { refusal } = this.#options
    await Promise.all(
      watches.map((watch, list) =>
        this.begin(watch, list).catch((error: unknown) => {
          if (refusal === undefined) throw error
          this.#tell(list, 'refused', refusal(error), true)
        }),
      ),
    )
  }

  /** Sends keep-alive messages and authenticates again at intervals. */
  keepUp(): void {
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

  body(): ReadableStream<Uint8Array> {
    return new ReadableStream<Uint8Array>(
      {
        pull: async (controller) => {
          if (this.#waiting.length === 0 && !this.#ended) for (const list of this.#behind) this.#watched[list]?.again()
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
    for (const one of this.#watched) one?.stop()
    this.#wake?.()
  }
}

/** One event. Its data is JSON on one line. */
function eventText(event: string, about: object, number: number): string {
  return `id: ${number}\nevent: ${event}\ndata: ${JSON.stringify(about)}\n\n`
}
