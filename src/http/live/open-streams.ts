import type { EventStream } from './stream.js'

/** The streams of several lists that are open on this server, so that a client can change which lists it watches. */
export class OpenStreams {
  readonly #open = new Map<string, { readonly me: string; readonly stream: EventStream }>()

  /** Returns a name for the stream that cannot be guessed. `me` identifies its person. */
  add(me: string, stream: EventStream): string {
    const id = globalThis.crypto.randomUUID()
    this.#open.set(id, { me, stream })
    stream.onEnd = () => this.#open.delete(id)
    return id
  }

  /** An open stream of this person. */
  find(id: string, me: string): EventStream | undefined {
    const found = this.#open.get(id)
    return found?.me === me ? found.stream : undefined
  }
}
