import type { LiveEvent } from './audience.js'

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

/** So many events may wait for whoever reads slowly; then whole lists are told again, once they read. */
const MOST_WAITING = 256

/** Begins to watch: `hear` is told of every event. */
export type Watch = (hear: (event: LiveEvent) => void) => Promise<{ stop(): void; again(): void }>

/** Something to be said. What `stays` is said even where a whole list is told anew. */
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
  const { recheck, recheckEvery, beat, refusal } = options
  const several = typeof watches !== 'function'
  const encoder = new TextEncoder()
  let waiting: Waiting[] = [{ list: -1, text: 'retry: 2000\n\n', stays: true }]
  const behind = new Set<number>()
  let ended = false
  let number = 0
  let wake: (() => void) | undefined
  const timers: ReturnType<typeof setInterval>[] = []
  const watched: (Awaited<ReturnType<Watch>> | undefined)[] = []
  const say = (list: number, text: string, stays: boolean) => {
    if (ended) return
    waiting.push({ list, text, stays })
    wake?.()
  }
  const tell = (list: number, event: string, about: object, stays: boolean) =>
    say(list, eventText(event, several && list >= 0 ? { list, ...about } : about, ++number), stays)
  const hear = (list: number, { event, ...about }: LiveEvent) => {
    const isOfRecords = event !== 'ended' && event !== 'rules'
    if (event === 'listed') {
      waiting = waiting.filter((one) => one.list !== list || one.stays)
      behind.delete(list)
    } else if (isOfRecords) {
      if (behind.has(list)) return
      if (waiting.length >= MOST_WAITING) {
        for (const one of waiting) if (!one.stays) behind.add(one.list)
        behind.add(list)
        waiting = waiting.filter((one) => one.stays)
        return
      }
    }
    const isOver = event === 'ended' && (!several || (about as { why?: string }).why === 'sign in')
    tell(event === 'rules' || isOver ? -1 : list, event, about, !isOfRecords)
    if (isOver) finish()
  }
  const finish = () => {
    ended = true
    for (const timer of timers) clearInterval(timer)
    for (const one of watched) one?.stop()
    wake?.()
  }
  const begin = async (watch: Watch, list: number) => {
    const one = await watch((event) => hear(list, event))
    if (ended) one.stop()
    else watched[list] = one
  }
  if (!several) await begin(watches, 0)
  else
    await Promise.all(
      watches.map((watch, list) =>
        begin(watch, list).catch((error: unknown) => {
          if (refusal === undefined) throw error
          tell(list, 'refused', refusal(error), true)
        }),
      ),
    )
  const every = (time: number, work: () => void) => {
    const timer = setInterval(work, time)
    timer.unref?.()
    timers.push(timer)
  }
  if (!ended) {
    every(beat, () => {
      if (waiting.length === 0) say(-1, ': still here\n\n', false)
    })
    every(recheckEvery, () => {
      recheck().then(
        (same) => {
          // Somebody else, or the same with other claims: whoever they are, they begin anew.
          if (!same) hear(0, { event: 'ended', why: 'sign in' })
        },
        () => hear(0, { event: 'ended', why: 'sign in' }),
      )
    })
  }
  const body = new ReadableStream<Uint8Array>(
    {
      async pull(controller) {
        if (waiting.length === 0 && !ended) for (const list of behind) watched[list]?.again()
        while (waiting.length === 0 && !ended) {
          await new Promise<void>((resolve) => {
            wake = resolve
          })
          wake = undefined
        }
        const text = waiting
          .splice(0)
          .map((one) => one.text)
          .join('')
        if (text !== '') controller.enqueue(encoder.encode(text))
        if (ended) controller.close()
      },
      cancel: finish,
    },
    { highWaterMark: 0 },
  )
  return new Response(body, {
    headers: { 'content-type': 'text/event-stream; charset=utf-8', 'cache-control': 'no-store', 'x-accel-buffering': 'no' },
  })
}

/** One event. What it is about is JSON, and so in one line. */
function eventText(event: string, about: object, number: number): string {
  return `id: ${number}\nevent: ${event}\ndata: ${JSON.stringify(about)}\n\n`
}
