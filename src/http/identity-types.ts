import type { Key } from '../rulebook/index.js'

/** Who is asking: their claims, or null for a visitor. Throws a `CredentialError` if the credentials are not valid. */
export interface Identity<Me = unknown> {
  (request: Request): Promise<Me | null>
  /**
   * Whether the browser sends the credentials by itself, as it does cookies. Then changing requests must come from the same origin.
   * Default: true, except for requests with a bearer token, which another site cannot make a browser send.
   */
  readonly automatic?: boolean | ((request: Request) => boolean)
  /** The scheme named in `WWW-Authenticate`. */
  readonly scheme?: string
}

/** The person who sends a request as another one. */
export interface Actor {
  /** Their key; null if nobody has signed in, as in development. */
  readonly key: Key | null
  /** They may change nothing. */
  readonly readOnly: boolean
}

/** Who is asking, and who sends the request. */
export interface Sender<Me = unknown> {
  /** The claims of the asker; null for a visitor. */
  readonly me: Me | null
  /** Who acts as the asker. Absent if the asker acts. */
  readonly actor?: Actor
  /** The claims of the actor, if known. */
  readonly actorClaims?: Me
  /** In development: the names that a request may choose from. */
  readonly people?: readonly string[]
}

/** An identity by which one person may act as another. */
export interface ActingIdentity<Me = unknown> extends Identity<Me> {
  readonly sender: (request: Request) => Promise<Sender<Me>>
}
