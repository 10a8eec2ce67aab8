// What docs/web.md shows of acting as another person.
import { actAs, actingBar } from 'pachter/client'

export function support(button: { onclick: unknown }, member: { readonly id: string }) {
  actingBar({ url: '/api/my-rules' })
  button.onclick = () => actAs(member.id)
}
