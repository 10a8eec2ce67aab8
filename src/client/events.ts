// Reads Server-Sent Events through `fetch`, which can send credentials, and reconnects until it is closed.

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
      const lines = block.split(/\r?\n/)
      const said = (name: string) =>
        lines.filter((line) => line.startsWith(`${name}:`)).map((line) => line.slice(name.length + 1).trimStart())
      const [event] = said('event')
      if (event !== undefined) take(event, JSON.parse(said('data').join('\n')))
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
