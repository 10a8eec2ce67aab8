// Refusals for people who see pages.
import type { problemOf } from './problem.js'

/**
 * Whether the client names `text/html` as something it accepts, and nothing that JSON would be with more weight. Programs that accept
 * everything get JSON. Source: RFC 9110, section 12.5.1.
 */
export function prefersPage(request: Request): boolean {
  const weights = new Map<string, number>()
  for (const part of (request.headers.get('accept') ?? '').split(',')) {
    const [type = '', ...params] = part.split(';').map((one) => one.trim().toLowerCase())
    const given = params.find((one) => one.startsWith('q='))?.slice(2)
    const weight = given === undefined ? 1 : Number(given)
    if (weight > 0) weights.set(type, Math.max(weight, weights.get(type) ?? 0))
  }
  const page = weights.get('text/html') ?? 0
  const data = Math.max(...['application/json', 'application/problem+json', 'application/*'].map((type) => weights.get(type) ?? 0))
  return page > 0 && page >= data
}

/** A path of this site, and nothing that a browser takes for another site. */
const OWN_PATH = /^\/(?![/\\])[^\\\s\p{Cc}]*$/u

export const isOwnPath = (path: string): boolean => OWN_PATH.test(path)

/** The sign-in address with the path to return to; undefined if there is none, or if the request is for that page itself. */
export function signInAddress(request: Request, signIn: string | undefined): string | undefined {
  if (signIn === undefined) return undefined
  const url = new URL(request.url)
  const to = new URL(signIn, url)
  if (to.host === url.host && to.pathname === url.pathname) return undefined
  const back = pathToReturnTo(request, url)
  return back === undefined ? signIn : `${signIn}${signIn.includes('?') ? '&' : '?'}back=${encodeURIComponent(back)}`
}

/** The page that was asked for, or the one with the form that was sent. */
function pathToReturnTo(request: Request, url: URL): string | undefined {
  return ['GET', 'HEAD'].includes(request.method) ? ownPath(url) : pageBefore(request, url)
}

/** The page of this site that the request came from. */
function pageBefore(request: Request, url: URL): string | undefined {
  const from = request.headers.get('referer')
  if (from === null || !URL.canParse(from)) return undefined
  const page = new URL(from)
  return page.host === url.host ? ownPath(page) : undefined
}

function ownPath({ pathname, search }: URL): string | undefined {
  const path = `${pathname}${search}`
  return isOwnPath(path) ? path : undefined
}

const STYLE =
  'body{font:1.1rem/1.5 system-ui,sans-serif;color:CanvasText;background:Canvas;margin:0}main{max-width:34rem;margin:15vh auto 0;padding:0 1.25rem}h1{font-size:1.5rem;margin:0 0 .5rem}p,ul{margin:0 0 .75rem}ul{padding-left:1.2rem}'
const POLICY = "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'"

const HEADINGS: { readonly [status: number]: string } = {
  401: 'Sign in first',
  403: 'You may not do this',
  404: 'Not found',
  422: 'Some of it is not valid',
  429: 'Too many requests',
  500: 'Something went wrong',
  503: 'Try again in a moment',
}

/** A small page about a problem, with the same status. It runs no scripts and loads nothing. */
export function refusalPage(request: Request, { problem, headers }: ReturnType<typeof problemOf>): Response {
  const { status, title, detail, faults } = problem as typeof problem & { faults?: readonly { field: string; problem: string }[] }
  const heading = HEADINGS[status] ?? title
  const before = pageBefore(request, new URL(request.url))
  const back = before === undefined ? '' : `<p><a href="${escaped(before)}">Go back</a></p>\n`
  const lines = faults?.map((one) => `<li>${escaped(one.field)}: ${escaped(one.problem)}</li>`).join('')
  const body = `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="color-scheme" content="light dark">
<title>${escaped(heading)}</title>
<style>${STYLE}</style>
</head>
<body>
<main>
<h1>${escaped(heading)}</h1>
${detail === undefined || lines ? '' : `<p>${escaped(detail)}</p>\n`}${lines ? `<ul>${lines}</ul>\n` : ''}${back}</main>
</body>
</html>
`
  const more = { 'content-type': 'text/html; charset=utf-8', 'cache-control': 'no-store', 'content-security-policy': POLICY }
  return new Response(request.method === 'HEAD' ? null : body, {
    status,
    headers: { ...headers, ...more, 'x-content-type-options': 'nosniff' },
  })
}

const ESCAPES: { readonly [character: string]: string } = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' }

const escaped = (text: string): string => text.replace(/[&<>"']/g, (one) => ESCAPES[one] as string)
