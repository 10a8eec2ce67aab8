import type { AncestorsNode, LinkNode, PlaceNode, RecordsNode } from '../../condition/index.js'

/** Two places that must be equal for a link to lead from one record to another. */
export interface Pair {
  readonly from: PlaceNode
  readonly to: PlaceNode
}

/** A step from a record to others, as conditions use it. */
export type Step =
  | { readonly kind: 'records'; readonly type: string; readonly by: readonly Pair[] }
  | { readonly kind: 'ancestors'; readonly type: string; readonly by: readonly Pair[]; readonly link: LinkNode }

/** The step that a `some` with these pairs takes. */
export function stepOf(over: RecordsNode | AncestorsNode, by: readonly Pair[]): Step {
  switch (over.kind) {
    case 'records':
      return { kind: 'records', type: over.type, by }
    case 'ancestors':
      return { kind: 'ancestors', type: over.type, by, link: over.link }
  }
}

const placeId = ({ path, type, list }: PlaceNode) => `${path.join('.')}:${type}${list ? '*' : ''}`

/** A text that is the same for the same steps. */
export function stepsId(steps: readonly Step[]): string {
  return steps
    .map(
      ({ kind, type, by }) => `${kind === 'ancestors' ? '^' : ''}${type}(${by.map(({ from, to }) => `${placeId(from)}=${placeId(to)}`)})`,
    )
    .join('/')
}

/** A text that is the same for the same place. */
export { placeId }
