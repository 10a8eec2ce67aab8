import { DeniedError } from '../store/index.js'
import type { Verdict } from '../viewpoint/index.js'
import { type Problem, type problemOf, problemResponse } from './problem.js'
import { prefersPage, refusalPage, signInAddress } from './refusal-page.js'

/** Why a request is not answered as it was meant. */
export interface Refusal {
  readonly request: Request
  readonly problem: Problem
  /** The verdict, if the rules refused. A hidden record and one that does not exist have the same. */
  readonly verdict?: Verdict
  /** Whether the client prefers a page: it accepts `text/html` and not JSON as well. */
  readonly isPage: boolean
}

/** Answers a refusal in the application's own way; undefined for the usual answer. */
export type RefusalHook = (refusal: Refusal) => Response | undefined | Promise<Response | undefined>

/** What the application answers by itself. The usual answer is problem details, or a small page for clients that prefer pages. */
export interface RefusalHooks {
  /** For those who have to sign in first. Usual for pages: a redirect to `signIn`, with the path to return to as `back`. */
  readonly onSignIn?: RefusalHook
  /** For what the rules refuse. */
  readonly onRefused?: RefusalHook
  /** For records that do not exist or may not be read, and for other addresses that lead nowhere. */
  readonly onNotFound?: RefusalHook
}

type Told = ReturnType<typeof problemOf>

/** The answer to a refused request. An error in a hook is reported, and gets the usual answer. */
export async function refusalResponse(
  request: Request,
  told: Told,
  {
    error,
    hooks,
    signIn,
    onFailure,
  }: {
    readonly error: unknown
    readonly hooks: RefusalHooks
    readonly signIn: string | undefined
    readonly onFailure: (error: unknown, request: Request) => void
  },
): Promise<Response> {
  const isPage = prefersPage(request)
  const verdict = error instanceof DeniedError ? { verdict: error.verdict } : {}
  const own = await hookOf(hooks, told.problem.status)?.({ request, problem: told.problem, ...verdict, isPage })
  if (own !== undefined) return own
  if (!isPage) return problemResponse(told)
  const to = told.problem.status === 401 ? signInAddress(request, signIn) : undefined
  if (to === undefined) return refusalPage(request, told)
  // After a form that was sent, the browser has to ask for the next page with GET.
  const status = ['GET', 'HEAD'].includes(request.method) ? 302 : 303
  return new Response(null, { status, headers: { location: to, 'cache-control': 'no-store' } })

  function hookOf({ onSignIn, onRefused, onNotFound }: RefusalHooks, of: number) {
    const hook = of === 401 ? onSignIn : of === 403 ? onRefused : of === 404 ? onNotFound : undefined
    return (
      hook &&
      (async (refusal: Refusal) => {
        try {
          return await hook(refusal)
        } catch (failure) {
          onFailure(failure, request)
          return undefined
        }
      })
    )
  }
}
