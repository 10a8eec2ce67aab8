import { pathToFileURL } from 'node:url'
import type { SourcePlace } from 'pachter/internal/review'
import type { Location, Log, Result } from 'sarif'

/** Something that was found, at a place of the rules. */
export interface SarifResult {
  /** What kind of finding it is, by its id among the kinds. */
  readonly kind: string
  readonly level: 'error' | 'warning' | 'note'
  readonly message: string
  readonly place: SourcePlace | undefined
  /** Other places that help to understand it. */
  readonly related?: readonly (SourcePlace & { readonly message: string })[]
  /** Stays the same while the lines of the file change. */
  readonly fingerprint: string
  /** Accepted, and why. */
  readonly accepted?: string
}

/** A kind of finding. */
export interface SarifKind {
  readonly id: string
  readonly text: string
}

/** The findings of a command as a log of code analysis. Source: SARIF 2.1.0, OASIS Standard, 27 March 2020. */
export function sarifText(command: string, kinds: readonly SarifKind[], results: readonly SarifResult[]): string {
  const log: Log = {
    $schema: 'https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json',
    version: '2.1.0',
    runs: [
      {
        tool: {
          driver: {
            name: command,
            rules: kinds.map(({ id, text }) => ({ id, shortDescription: { text } })),
          },
        },
        columnKind: 'utf16CodeUnits',
        results: results.map((one) => resultOf(kinds, one)),
      },
    ],
  }
  return JSON.stringify(log, null, 2)
}

function resultOf(kinds: readonly SarifKind[], { kind, level, message, place, related = [], fingerprint, accepted }: SarifResult): Result {
  return {
    ruleId: kind,
    ruleIndex: kinds.findIndex(({ id }) => id === kind),
    level,
    message: { text: message },
    ...(place === undefined ? {} : { locations: [locationOf(place)] }),
    ...(related.length === 0
      ? {}
      : { relatedLocations: related.map((one, id) => ({ id, message: { text: one.message }, ...locationOf(one) })) }),
    partialFingerprints: { 'pachter/v1': fingerprint },
    ...(accepted === undefined ? {} : { suppressions: [{ kind: 'inSource', justification: accepted }] }),
  }
}

function locationOf({ file, line }: SourcePlace): Location {
  const isInside = !file.startsWith('/') && !file.startsWith('..')
  const artifactLocation = isInside ? { uri: encodeURI(file) } : { uri: pathToFileURL(file).href }
  return { physicalLocation: { artifactLocation, region: { startLine: line } } }
}
