import type { Row } from '../condition/index.js'
import type { TypeName, World } from '../rulebook/index.js'
import type { AsSystem, GuardedStore } from '../store/index.js'
import type { GuardOptions } from './guard.js'
import type { LiveLists } from './live/live-types.js'

/** What somebody asked for, as the application's own procedures are told. */
export interface RouteContext<W extends World = World> {
  readonly request: Request
  readonly store: GuardedStore<W>
  /** The record, as the asker sees it. */
  readonly record: Row
  /** For what the rules let nobody do by hand: trusted code, in the same transaction. */
  readonly asSystem: AsSystem<W>
}

/** Which file of a record somebody asked for. */
export type FileContext<W extends World = World> = Omit<RouteContext<W>, 'asSystem'> & { readonly name: string }

/** How records are served. */
export interface RouteOptions<W extends World = World> extends GuardOptions<W> {
  /** Under which path. Default: `/`. */
  readonly base?: string
  /** Which record types. Default: all. */
  readonly types?: readonly TypeName<W>[]
  /** How addresses name record types. Default: as the rulebook does. */
  readonly paths?: { readonly [K in TypeName<W>]?: string }
  /** The most bytes of a body. Default: a mebibyte. */
  readonly bodyLimit?: number
  /** How many records a page has unless the address says otherwise, and at most. Default: 50 and 200. */
  readonly pageSize?: number
  readonly pageLimit?: number
  /** Updates and deletes have to say which state they mean, by `If-Match`. */
  readonly matchRequired?: boolean
  /** Where a person's own rules are, for their page, and below it `verdicts` that a page cannot work out; false serves none. Default: `my-rules`. */
  readonly rulesAt?: string | false
  /**
   * For developers: serves `why` below `rulesAt`, which tells everything about a verdict. Refused if `NODE_ENV` is `production`.
   */
  readonly showReasons?: boolean
  /** Where several lists are kept up to date by one connection, with `live`; false: nowhere. Default: `my-lists`. */
  readonly listsAt?: string | false
  /** Keeps lists up to date for those who watch them: a list is asked for as `text/event-stream`. */
  readonly live?: LiveLists
  /** What tells visitors apart, as their addresses do: each of them may watch so many lists. */
  readonly visitor?: (request: Request) => string | undefined
  /** How often the identity behind a live list is checked again, in seconds. A list ends when its person has signed out or the token has expired. Default 30. */
  readonly recheck?: number
  /** Serves the files of a record, at `files/<name>` below it, to everyone who may read the record; undefined if there is none. */
  readonly files?: { readonly [K in TypeName<W>]?: (asked: FileContext<W>) => Promise<Response | undefined> }
  /** What the actions that record types name do, after they were found to be allowed: in one transaction. */
  readonly actions?: { readonly [K in TypeName<W>]?: { readonly [action: string]: (asked: RouteContext<W>) => Promise<Row | undefined> } }
}
