// A plot by its name, and a link to it where it can be seen.
import { Link } from 'wouter'
import { useNames } from './names.js'

export function PlotLink({ id }: { readonly id: string | undefined }) {
  const names = useNames()
  const isSeen = names.plots.some(({ value }) => value === id)
  return isSeen ? <Link href={`/plots/${id}`}>{names.plot(id)}</Link> : <span>{names.plot(id)}</span>
}
