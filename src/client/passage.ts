import type { TypeName, World } from '../rulebook/types.js'
import type { PageAction, PageRecord } from './page-types.js'
import type { Knowing, PageView } from './view.js'

/** What a page needs of whoever opens it. */
export interface Needs<W extends World = World, K extends TypeName<W> = TypeName<W>> {
  /** Somebody who has signed in. */
  readonly signedIn?: true
  /** An action on a type, or on a record of it. */
  readonly action?: PageAction<W, K>
  readonly type?: K
  readonly record?: PageRecord<W, K>
  readonly knowing?: Knowing<W, K>
  readonly privilege?: W['privilege']
  /** Where to go instead, if it is refused. Default: nowhere. */
  readonly otherwise?: string
}

/** Whether somebody may pass, and where they go instead. */
export type Passage =
  | { readonly pass: true }
  | {
      readonly pass: false
      readonly why: 'sign in' | 'refused' | 'not found' | 'ask the server'
      readonly goTo?: string
      readonly saying: string
    }

/**
 * Guards a route, with any router: says whether somebody may open a page, and where to go instead. A page that needs an
 * action on a type passes where that may be allowed for some record; the records themselves are the server's.
 *
 * @example
 * const passage = passageOf(view, { action: 'update', type: 'plot', record: plot }, location.pathname)
 * if (!passage.pass) navigate(passage.goTo ?? '/')
 */
export function passageOf<W extends World, K extends TypeName<W>>(view: PageView<W>, needs: Needs<W, K>, here?: string): Passage {
  const { signedIn, action, type, record, privilege, otherwise } = needs
  const turned = (why: 'sign in' | 'refused' | 'not found' | 'ask the server', saying: string): Passage => {
    const goTo = why === 'sign in' ? backTo(view.signIn, here) : otherwise
    return { pass: false, why, saying, ...(goTo === undefined ? {} : { goTo }) }
  }
  if (signedIn && view.me === null) return turned('sign in', 'Sign in to see this page.')
  if (privilege !== undefined && !view.has(privilege))
    return view.me === null ? turned('sign in', 'Sign in to see this page.') : turned('refused', 'This page is not for you.')
  if (action === undefined || type === undefined) return { pass: true }
  if (record !== undefined) {
    const { allowed, outcome, saying = '' } = view.verdict(action, type, record, needs.knowing)
    return allowed ? { pass: true } : turned(outcome as 'refused', saying)
  }
  if (view.may(action, type) !== 'never') return { pass: true }
  return view.me === null ? turned('sign in', 'Sign in to see this page.') : turned('refused', `You may not ${action} any ${type}.`)
}

/** The address for signing in, with the way back. Only ways within this site are kept: browsers read over blanks, and take \\ for /. */
function backTo(signIn: string | undefined, here: string | undefined): string | undefined {
  if (signIn === undefined || here === undefined || !/^\/(?!\/)[^\\\s\p{Cc}]*$/u.test(here)) return signIn
  return `${signIn}${signIn.includes('?') ? '&' : '?'}back=${encodeURIComponent(here)}`
}
