// Reads Server-Sent Events through `fetch`, which can send credentials, and reconnects until it is closed.

import type { Held } from './list-state.js'

/** The source of live lists. */
export interface Source {
  readonly headers?: () => Record<string, string> | Promise<Record<string, string>>
  /** Default: that of the browser. */
  readonly fetch?: typeof fetch
  /** Called when the person's rules have changed, so that they can be loaded again. */
  readonly rulesChanged?: () => void
}

/** One event: its name and its data. */
export type Take = (event: string, data: { readonly [name: string]: unknown }) => void

/** Returns the message of a final refusal. For failures that may pass, it throws. */
export async function refusalOf(response: Response): Promise<string> {
  const problem = (await response.json().catch(() => ({}))) as { detail?: string }
  if (response.status >= 500 || response.status === 429) throw new Error(problem.detail)
  return problem.detail ?? `The server answers ${response.status}.`
}

/** Reads events until the server ends the stream or `isOver` returns true. */
export async function readEvents(body: ReadableStream<Uint8Array>, take: Take, isOver: () => boolean): Promise<void> {
  const reader = body.getReader()
  const decoder = new TextDecoder()
  let text = ''
  for (let part = await reader.read(); !part.done && !isOver(); part = await reader.read()) {
    text += decoder.decode(part.value, { stream: true })
    const blocks = text.split(/\r?\n\r?\n/)
    text = blocks.pop() as string
    for (const block of blocks) {
      // The server writes each on one line.
      const event = /^event: *(.+)/m.exec(block)?.[1]
      const data = /^data: *(.+)/m.exec(block)?.[1]
      if (event && data && !isOver()) take(event, JSON.parse(data))
    }
  }
}

/** Repeats a task until it is over. Waits grow and have a random part, so that clients do not all reconnect at once. */
export async function again(work: () => Promise<void>, lost: () => void, isOver: () => boolean): Promise<void> {
  for (let tries = 0; !isOver(); tries++) {
    const began = Date.now()
    await work().catch(() => undefined)
    if (isOver()) return
    lost()
    if (Date.now() - began > 5000) tries = 0
    const wait = Math.min(30_000, 250 * 2 ** Math.min(tries, 7)) * (0.5 + Math.random() / 2)
    await new Promise((resolve) => setTimeout(resolve, wait))
  }
}

/** Sends a request with the headers of the person. */
export async function request({ headers, fetch: ask = globalThis.fetch }: Source, url: string, init: RequestInit): Promise<Response> {
  return ask(url, { ...init, headers: { ...(init.headers as object), ...(await headers?.()) } })
}

/** Sends an object as JSON. */
export function post(source: Source, url: string, body: object): Promise<Response> {
  return request(source, url, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })
}

/** Requests events once and reads them until they end. If the server refuses, the lists end. */
export async function listen(
  source: Source,
  url: string,
  signal: AbortSignal,
  take: Take,
  isOver: () => boolean,
  lists: readonly { readonly held: Held }[],
): Promise<void> {
  const response = await request(source, url, { headers: { accept: 'text/event-stream' }, signal })
  if (response.ok && response.body !== null) return readEvents(response.body, take, isOver)
  const message = await refusalOf(response)
  for (const { held } of lists) held.over('refused', message)
}
