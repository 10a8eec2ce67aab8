import type { LiveEvent } from './subscription.js'

/** How a stream is kept going. */
export interface StreamOptions {
  /** Asks again who is asking, and throws where nobody is any more. */
  readonly recheck: () => Promise<boolean>
  /** Every so many milliseconds. */
  readonly recheckEvery: number
  /** Says that it is there, every so many milliseconds: what stands between would close it. */
  readonly beat: number
  /** What is said of a list that cannot be watched, where it is one of several; otherwise the stream does not begin. */
  readonly refusal?: (error: unknown) => { readonly status: number; readonly detail?: string | undefined }
}

/** This many events may wait for a slow reader. Beyond it, they are replaced by whole lists once the client reads again. */
const MOST_WAITING = 256

/** Begins to watch: `hear` is told of every event. */
export type Watch = (hear: (event: LiveEvent) => void) => Promise<{ stop(): void; again(): void }>

/** An event to be sent. One that `stays` is sent even if the whole list is sent again. */
interface Waiting {
  readonly list: number
  readonly text: string
  readonly stays: boolean
}

/**
 * Server-Sent Events, as the HTML standard has them (section 9.2): of one list, or of several by one connection, of which browsers
 * make few. Then every event says by `list` which it is about. Who reads slowly is not written to faster than they read.
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
  /** Lists of which events were left out: they are told as a whole once the reader reads. */
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

  /** Begins all of them; of one that cannot be watched, that is told, and the others go on. */
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

  /** Says from time to time that it is there, and asks again who is asking. */
  keepUp(): void {
    if (this.#ended) return
    const { beat, recheck, recheckEvery } = this.#options
    this.#every(beat, () => {
      if (this.#waiting.length === 0) this.#say(-1, ': still here\n\n', false)
    })
    // Another person, or the same one with other claims: start again.
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

  /** Waits until there is something to be said, or it has ended. */
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

  /** Whether an event of this list is not told, since too many wait for a slow reader. */
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

/** One event. What it is about is JSON, and so in one line. */
function eventText(event: string, about: object, number: number): string {
  return `id: ${number}\nevent: ${event}\ndata: ${JSON.stringify(about)}\n\n`
}
