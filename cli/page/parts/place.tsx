import type { SourcePlace } from 'pachter/internal/review'

/** A place in the source. */
export function Place({ place }: { readonly place: SourcePlace | null | undefined }) {
  return place ? (
    <code className="place">
      {place.file}:{place.line}
    </code>
  ) : null
}
