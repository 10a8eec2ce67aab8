import type { TypeName, World } from '../rulebook/types.js'
import type { PageAction, PageRecord } from './page-types.js'
import type { PageView, VerdictOptions } from './view.js'

/** What a person needs to open a page. */
export interface RouteNeeds<W extends World = World, K extends TypeName<W> = TypeName<W>> {
  /** The person has to be signed in. */
  readonly signedIn?: true
  /** An action on a type, or on a record of it. */
  readonly action?: PageAction<W, K>
  readonly type?: K
  readonly record?: PageRecord<W, K>
  readonly options?: VerdictOptions<W, K>
  readonly privilege?: W['privilege']
  /** Where to go instead, if it is refused. Default: nowhere. */
  readonly otherwise?: string
}

/** Whether a person may open a page, and where to redirect them if not. */
export type RouteAccess =
  | { readonly allowed: true }
  | {
      readonly allowed: false
      readonly outcome: 'sign in' | 'refused' | 'not found' | 'ask the server'
      readonly redirectTo?: string
      readonly message: string
    }

/**
 * Guards a route, with any router: says whether the person may open a page, and where to redirect them if not. A page that needs an
 * action on a type is open if that action may be allowed on some record. The server still decides on each record.
 *
 * @example
 * const access = checkRoute(view, { action: 'update', type: 'plot', record: plot }, location.pathname)
 * if (!access.allowed) navigate(access.redirectTo ?? '/')
 */
export function checkRoute<W extends World, K extends TypeName<W>>(view: PageView<W>, needs: RouteNeeds<W, K>, here?: string): RouteAccess {
  const { signedIn, action, type, record, privilege, otherwise } = needs
  const turned = (outcome: 'sign in' | 'refused' | 'not found' | 'ask the server', message: string): RouteAccess => {
    const redirectTo = outcome === 'sign in' ? backTo(view.signIn, here) : otherwise
    return { allowed: false, outcome, message, ...(redirectTo === undefined ? {} : { redirectTo }) }
  }
  if (signedIn && view.me === null) return turned('sign in', 'Sign in to see this page.')
  if (privilege !== undefined && !view.has(privilege))
    return view.me === null ? turned('sign in', 'Sign in to see this page.') : turned('refused', 'You may not open this page.')
  if (action === undefined || type === undefined) return { allowed: true }
  if (record !== undefined) {
    const { allowed, outcome, message = '' } = view.verdict(action, type, record, needs.options)
    return allowed ? { allowed: true } : turned(outcome as 'refused', message)
  }
  if (view.may(action, type) !== 'never') return { allowed: true }
  return view.me === null ? turned('sign in', 'Sign in to see this page.') : turned('refused', `You may not ${action} any ${type}.`)
}

/** The sign-in address with the path to return to. Only paths within this site are kept. Browsers skip blanks and read \\ as /. */
function backTo(signIn: string | undefined, here: string | undefined): string | undefined {
  if (signIn === undefined || here === undefined || !/^\/(?!\/)[^\\\s\p{Cc}]*$/u.test(here)) return signIn
  return `${signIn}${signIn.includes('?') ? '&' : '?'}back=${encodeURIComponent(here)}`
}
