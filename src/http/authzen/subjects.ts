import type { Row } from '../../condition/index.js'
import type { Model, World } from '../../rulebook/index.js'
import type { GuardedStore, Store } from '../../store/index.js'
import type { AuthZenSubject } from './request.js'

/** Subjects that a search for subjects goes through. */
export interface SubjectPage<W extends World = World> {
  readonly subjects: readonly { readonly id: string; readonly claims: W['me'] }[]
  /** Where the next subjects begin; undefined if these are the last. */
  readonly next?: string | undefined
}

/** How subjects become persons of the rules. */
export interface AuthZenOptions<W extends World = World> {
  /** Whether a request comes from a service that may ask. It sees decisions about everyone, so check its credentials. */
  readonly caller: (request: Request) => boolean | Promise<boolean>
  /**
   * The claims of a subject, from your own records: null for a visitor, undefined for a subject that you do not know, who may do nothing.
   * Take no roles from `properties` unless you trust every caller with them.
   */
  readonly subject: (subject: AuthZenSubject) => W['me'] | null | undefined | Promise<W['me'] | null | undefined>
  /** All subjects of a type, page by page, for the search of subjects. Without it, that search is not offered. */
  readonly subjects?: (asked: {
    readonly type: string
    readonly after: string | undefined
    readonly size: number
  }) => SubjectPage<W> | Promise<SubjectPage<W>>
  /** The base path of the endpoints. Default: `/`. */
  readonly base?: string
  /** A proxy in front of this server ends TLS and sets `X-Forwarded-Proto` itself. */
  readonly behindProxy?: boolean
  /** Accepts plain HTTP from anywhere. */
  readonly insecure?: boolean
  /** Receives unexpected errors. Default: prints them to the console. */
  readonly onFailure?: (error: unknown, request: Request) => void
}

/** What the endpoints need. */
export interface Decisions {
  readonly model: Model
  readonly subjects: AuthZenOptions['subjects']
  /** The guarded store of a subject; undefined if the application does not know it. */
  storeOf(subject: AuthZenSubject): Promise<GuardedStore | undefined>
  storeFor(claims: Row): GuardedStore
}

/** The stores of the subjects of one request: each subject is looked up once. */
export function decisionsOf<W extends World>(store: Store<W>, model: Model, { subject, subjects }: AuthZenOptions<W>): Decisions {
  const known = new Map<string, Promise<GuardedStore | undefined>>()
  const open = async (one: AuthZenSubject) => {
    const claims = await subject(one)
    return claims === undefined ? undefined : (store.for(claims) as unknown as GuardedStore)
  }
  return {
    model,
    subjects: subjects as AuthZenOptions['subjects'],
    storeOf(one) {
      const name = JSON.stringify(one)
      const there = known.get(name) ?? open(one)
      known.set(name, there)
      return there
    },
    storeFor: (claims) => store.for(claims as never) as unknown as GuardedStore,
  }
}
