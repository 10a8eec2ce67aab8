import type { LayoutOptions } from 'pachter/internal/layout'
import type { World } from 'pachter/internal/rulebook'
import type { Rulebook } from 'pachter/internal/viewpoint'

/** The configuration of the `pachter` command. */
export interface Configuration<W extends World = World> {
  readonly rulebook: Rulebook<W>
  /**
   * A folder with a JSON file for each record type: `plot.json` contains an array of plots. The path is relative to the configuration.
   * Default: `data` beside the configuration. Commands with `--db`, and those of `pachter db`, need none.
   */
  readonly data?: string | URL
  /** The people by name, with the claims of each. `visitor`, `unknown` and `system` are reserved. */
  readonly people: { readonly [name: string]: W['me'] }
  /**
   * How a record of the people becomes claims. Then `--for` also takes a key of these records, or a search such as `--for name=Ines`.
   */
  readonly personOf?: { readonly [K in keyof W['rows'] & string]: PersonOf<W, K> }[keyof W['rows'] & string]
  /** The claims of a signed-in person without a record, if an id alone does not fit the shape of `me`. */
  readonly unknown?: W['me']
  /** The time at which everything is judged. Default: the system clock. */
  readonly now?: Date
  /** A folder with expectation files (YAML), or one such file. Default: `expectations` beside the configuration. */
  readonly expectations?: string | URL
  /** The names of tables and columns in a database, for the `db` commands. Default: the names of record types and fields. */
  readonly layout?: LayoutOptions
  /**
   * The warnings that are meant, each by a part of its text, with your reason: they are not shown any more. A part that no warning has any
   * more is an error. Warnings of links that differ from foreign keys begin with the link: `lesson.teacher`.
   */
  readonly accepted?: { readonly [warning: string]: string }
}

/** Where the people are, and how one of them becomes claims: what your sign-in would say of them. */
export interface PersonOf<W extends World, K extends keyof W['rows'] & string> {
  readonly type: K
  /** Other record types that `claims` needs, such as the memberships that say for which tenants a person can act. */
  readonly with?: readonly (keyof W['rows'] & string)[]
  /** The claims; several if the person can sign in for several tenants: each is a person by the name `ada~club-1`. */
  readonly claims: (
    person: W['rows'][K],
    records: { readonly [T in keyof W['rows'] & string]: readonly W['rows'][T][] },
  ) => W['me'] | readonly W['me'][]
}

/**
 * Defines what the `pachter` command works on: the default export of `pachter.config.ts`. Returns its argument, typed.
 * @example
 * export default configure({
 *   rulebook: book,
 *   data: new URL('./data/', import.meta.url),
 *   people: { ines: { id: 'm-01', roles: [] } },
 * })
 */
export function configure<W extends World>(configuration: Configuration<W>): Configuration<W> {
  return configuration
}
