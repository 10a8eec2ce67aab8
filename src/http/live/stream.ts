import type { LiveEvent } from './audience.js'

/** How a stream is kept going. */
export interface StreamOptions {
  /** Asks again who is asking, and throws where nobody is any more. */
  readonly recheck: () => Promise<boolean>
  /** Every so many milliseconds. */
  readonly recheckEvery: number
  /** Says that it is there, every so many milliseconds: what stands between would close it. */
  readonly beat: number
}

/** So many events may wait for whoever reads slowly; then the whole list is told again, once they read. */
const MOST_WAITING = 256

/** Begins to watch: `hear` is told of every event. */
export type Watch = (hear: (event: LiveEvent) => void) => Promise<{ stop(): void; again(): void }>

/**
 * Server-Sent Events, as the HTML standard has them (section 9.2). Who reads slowly is not written to faster than they read.
 */
export async function eventStream(watch: Watch, { recheck, recheckEvery, beat }: StreamOptions): Promise<Response> {
  const encoder = new TextEncoder()
  let waiting: string[] = ['retry: 2000\n\n']
  let behind = false
  let ended = false
  let number = 0
  let wake: (() => void) | undefined
  const timers: ReturnType<typeof setInterval>[] = []
  const say = (text: string) => {
    if (ended) return
    waiting.push(text)
    wake?.()
  }
  const hear = (event: LiveEvent) => {
    if (event.event === 'listed') {
      waiting = waiting.filter((text) => text.startsWith('retry'))
      behind = false
    } else if (behind && event.event !== 'ended' && event.event !== 'rules') return
    else if (waiting.length >= MOST_WAITING && event.event !== 'ended') {
      waiting = []
      behind = true
      return
    }
    say(eventText(event, ++number))
    if (event.event === 'ended') finish()
  }
  const finish = () => {
    ended = true
    for (const timer of timers) clearInterval(timer)
    watched?.stop()
    wake?.()
  }
  let watched: Awaited<ReturnType<Watch>> | undefined
  watched = await watch(hear)
  const every = (time: number, work: () => void) => {
    const timer = setInterval(work, time)
    timer.unref?.()
    timers.push(timer)
  }
  if (!ended) {
    every(beat, () => {
      if (waiting.length === 0) say(': still here\n\n')
    })
    every(recheckEvery, () => {
      recheck().then(
        (same) => {
          // Somebody else, or the same with other claims: whoever they are, they begin anew.
          if (!same) hear({ event: 'ended', why: 'sign in' })
        },
        () => hear({ event: 'ended', why: 'sign in' }),
      )
    })
  }
  const body = new ReadableStream<Uint8Array>(
    {
      async pull(controller) {
        if (behind && waiting.length === 0 && !ended) watched?.again()
        while (waiting.length === 0 && !ended) {
          await new Promise<void>((resolve) => {
            wake = resolve
          })
          wake = undefined
        }
        const text = waiting.splice(0).join('')
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
function eventText({ event, ...about }: LiveEvent, number: number): string {
  return `id: ${number}\nevent: ${event}\ndata: ${JSON.stringify(about)}\n\n`
}
