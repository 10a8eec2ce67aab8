import type { LayoutOptions } from 'pachter/internal/layout'
import type { World } from 'pachter/internal/rulebook'
import type { Rulebook } from 'pachter/internal/viewpoint'

/** What the `pachter` command works on. */
export interface Configuration<W extends World = World> {
  readonly rulebook: Rulebook<W>
  /** A folder with a JSON file for each record type: `plot.json` holds an array of plots. A path is relative to the configuration. */
  readonly data: string | URL
  /** The people to look through, by name, as the claims that each comes with. `visitor`, `unknown` and `system` are names of their own. */
  readonly people: { readonly [name: string]: W['me'] }
  /** The claims of a signed-in person without a record, if an id alone does not fit the shape of `me`. */
  readonly unknown?: W['me']
  /** The instant at which everything is judged. Default: the clock. */
  readonly now?: Date
  /** A folder with expectation files (YAML), or one such file. Default: `expectations` beside the configuration. */
  readonly expectations?: string | URL
  /** How a database names tables and columns, for the `db` commands. Default: as record types and fields are. */
  readonly layout?: LayoutOptions
}

/**
 * Says what the `pachter` command works on; the default export of `pachter.config.ts`. Gives back what it is given, typed.
 *
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
