/** A stream whose lists can change. */
interface Changeable {
  onEnd: () => void
}

/** The streams of several lists that are open on this server, so that a client can change which lists it watches. */
export class OpenStreams<S extends Changeable> {
  readonly #open = new Map<string, { readonly me: string; readonly stream: S }>()

  /** Returns a name for the stream that cannot be guessed. `me` identifies its person. */
  add(me: string, stream: S): string {
    const id = globalThis.crypto.randomUUID()
    this.#open.set(id, { me, stream })
    stream.onEnd = () => this.#open.delete(id)
    return id
  }

  /** An open stream of this person. */
  find(id: string, me: string): S | undefined {
    const found = this.#open.get(id)
    return found?.me === me ? found.stream : undefined
  }
}
