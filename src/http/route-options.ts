import type { Row } from '../condition/index.js'
import type { Key, StandingName, TypeName, World } from '../rulebook/index.js'
import type { AsSystem, GuardedStore } from '../store/index.js'
import type { GuardOptions } from './guard.js'
import type { LiveLists } from './live/live-types.js'
import type { NextPage } from './see-other.js'

/** The arguments of the application's own handlers. */
export interface RouteContext<W extends World = World> {
  readonly request: Request
  readonly store: GuardedStore<W>
  /** The record as the asker sees it. */
  readonly record: Row
  /** For changes that the rules allow no client: trusted code in the same transaction. */
  readonly asSystem: AsSystem<W>
}

/** A requested file of a record. */
export type FileContext<W extends World = World> = Omit<RouteContext<W>, 'asSystem'> & { readonly name: string }

/** What a request has done. */
export interface Done<W extends World = World> {
  readonly request: Request
  readonly type: TypeName<W>
  readonly action: string
  readonly key: Key
}

/** How records are served. */
export interface RouteOptions<W extends World = World> extends GuardOptions<W> {
  /** The base path. Default: `/`. */
  readonly base?: string
  /** Which record types. Default: all. */
  readonly types?: readonly TypeName<W>[]
  /** The path segment of each record type. Default: its name in the rulebook. */
  readonly paths?: { readonly [K in TypeName<W>]?: string }
  /** The maximum size of a body in bytes. Default: 1,048,576. */
  readonly bodyLimit?: number
  /** The default and maximum page size. Default: 50 and 200. */
  readonly pageSize?: number
  readonly pageLimit?: number
  /** Updates and deletes must state which version they mean, by `If-Match`. */
  readonly matchRequired?: boolean
  /**
   * The path of a person's own page rules, with `verdicts` below it for what a page cannot work out; false serves none. Default:
   * `my-rules`.
   */
  readonly rulesAt?: string | false
  /** For developers: serves `why` below `rulesAt`, which reveals everything about a verdict. Refused if `NODE_ENV` is `production`. */
  readonly showReasons?: boolean
  /** The path for several live lists over one connection, with `live`; false serves none. Default: `my-lists`. */
  readonly listsAt?: string | false
  /** Keeps lists live: clients request them as `text/event-stream`. */
  readonly live?: LiveLists
  /** Tells visitors apart, for example by address, so that each has a limit of live lists of its own. */
  readonly visitor?: (request: Request) => string | undefined
  /** How often the identity behind a live list is checked again, in seconds. A list ends when its person has signed out or the token has expired. Default 30. */
  readonly recheck?: number
  /** Serves the files of a record, at `files/<name>` below it, to everyone who may read the record; undefined if there is none. */
  readonly files?: { readonly [K in TypeName<W>]?: (asked: FileContext<W>) => Promise<Response | undefined> }
  /**
   * Where a page goes after something was done, and with what message. Asked for clients that accept `text/html`, such as a form that posts
   * to a named action. Undefined answers with JSON.
   */
  readonly next?: (done: Done<W>) => NextPage | undefined
  /**
   * The standings that clients may ask for: `standings=true` tells them of each record of a list, `standing=holder` lists those records
   * only. A standing can depend on fields that a person does not see, so none is told unless it is named here.
   */
  readonly standings?: { readonly [K in TypeName<W>]?: readonly StandingName<K, W>[] }
  /** The handlers of named actions. They run after the action was allowed, in one transaction. */
  readonly actions?: { readonly [K in TypeName<W>]?: { readonly [action: string]: (asked: RouteContext<W>) => Promise<Row | undefined> } }
}
