import type { JoinNode, RecordRef } from './nodes.js'

interface Followed {
  readonly from: { readonly path: readonly string[] }
  readonly to: { readonly path: readonly string[]; readonly ignoringCase?: true }
}

/**
 * The name under which a record of the person holds the records that a link leads to. It is the same for the link and for a search along it,
 * and no field has it.
 */
export function linkedAs({
  by,
  ...link
}: { readonly by: readonly object[] } & ({ readonly to: string } | { readonly type: string })): string {
  const names = (by as readonly Followed[]).map(({ to, from }) => [to.path, from.path, to.ignoringCase === true])
  return `\0${JSON.stringify(['to' in link ? link.to : link.type, names])}`
}

/** The record at which a search starts, if that is a single one. */
export function startOf(by: readonly JoinNode[]): RecordRef | undefined {
  const starts = new Set(by.map(({ from }) => (from.kind === 'field' && from.via === undefined ? from.of : undefined)))
  return starts.size === 1 ? [...starts][0] : undefined
}
