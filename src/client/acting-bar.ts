import { request } from './events.js'
import type { PageRules } from './rules.js'
import type { RulesSource } from './rules-client.js'

/** A bar in a page. */
export interface ActingBar {
  /** The bar; undefined as long as nobody acts as another person, and outside development. */
  readonly element: HTMLElement | undefined
  /** Loads the rules again, and shows or hides the bar accordingly. */
  refresh(): Promise<void>
  /** Removes the bar. */
  close(): void
}

/** With the prefix, other hosts of the same site cannot set the cookie. It needs https. */
const cookieName = () => (location.protocol === 'https:' ? '__Host-act-as' : 'act-as')
const STYLE =
  'position:fixed;inset:auto 0 0;z-index:2147483647;display:flex;flex-wrap:wrap;gap:.5em 1em;align-items:center;padding:.5em 1em;font:14px/1.4 system-ui,sans-serif;background:CanvasText;color:Canvas'
const CONTROL = 'font:inherit;min-height:2em;padding:0 .6em;border:1px solid Canvas;border-radius:3px;background:Canvas;color:CanvasText'

/**
 * From now on, acts as the person with this key, or with this name in development; null stops it. Loads the page again, so that nothing of
 * the person before stays. The server decides whether it is allowed: see `impersonation` and `developmentIdentity` of `pachter/http`.
 *
 * @example
 * button.onclick = () => actAs(member.id)
 */
export function actAs(person: string | number | null): void {
  const secure = location.protocol === 'https:' ? '; secure' : ''
  const value = person === null ? '; max-age=0' : encodeURIComponent(person)
  // biome-ignore lint/suspicious/noDocumentCookie: the Cookie Store API is not in all browsers.
  document.cookie = `${cookieName()}=${value}; path=/; samesite=strict${secure}`
  location.reload()
}

/**
 * Shows a small bar while a person acts as another one, with a button that stops it. In development it is always there, and you choose a
 * person in it. `parent` is where it is added: the body by default.
 *
 * @example
 * actingBar({ url: '/api/my-rules' })
 */
export function actingBar(source: RulesSource, parent: HTMLElement = document.body): ActingBar {
  let element: HTMLElement | undefined
  let asked = 0
  const show = (next: HTMLElement | undefined) => {
    element?.remove()
    element = next
    if (next !== undefined) parent.append(next)
    // The bar must not cover the end of the page.
    document.body.style.paddingBottom = next === undefined ? '' : `${next.offsetHeight}px`
  }
  const refresh = async () => {
    const mine = ++asked
    const next = await barFor(source)
    if (mine === asked) show(next)
  }
  void refresh()
  return Object.freeze({
    get element() {
      return element
    },
    refresh,
    close() {
      asked++
      show(undefined)
    },
  })
}

/** The bar for what the server answers. */
async function barFor(source: RulesSource): Promise<HTMLElement | undefined> {
  const chosen = new RegExp(`(?:^|; *)${cookieName()}=([^;]+)`).exec(document.cookie)?.[1]
  try {
    const response = await request(source, source.url, { headers: { accept: 'application/json' }, cache: 'no-store' })
    const body = (await response.json()) as PageRules & { readonly detail?: string }
    if (response.ok) return body.act === undefined ? undefined : barOf(nameOf(body.me, chosen), body.act)
    // Whatever is wrong, the way back must be there.
    return chosen ? bar(text(`You cannot act as this person. ${body.detail ?? ''}`), stop()) : undefined
  } catch {
    return chosen ? bar(text('You act as another person. The server cannot be reached.'), stop()) : undefined
  }
}

/** The person as chosen, with their key if that is another. */
function nameOf(me: PageRules['me'], chosen = ''): string {
  const name = decodeURIComponent(chosen)
  if (me === null) return 'a visitor'
  return name === '' || name === String(me) ? String(me) : `${name} (${me})`
}

function barOf(name: string, { sub, readOnly, people }: NonNullable<PageRules['act']>): HTMLElement | undefined {
  const parts: HTMLElement[] = []
  if (sub !== undefined) {
    const by = sub === null ? '' : ` Signed in as ${sub}.`
    parts.push(text(`You act as ${name}${readOnly ? ', read-only' : ''}.${by}`), stop())
  }
  if (people !== undefined) parts.push(chooser(people))
  return parts.length === 0 ? undefined : bar(...parts)
}

function bar(...parts: readonly HTMLElement[]): HTMLElement {
  const made = elementOf('div', STYLE)
  made.setAttribute('role', 'region')
  made.setAttribute('aria-label', 'Acting as another person')
  made.append(...parts)
  return made
}

function stop(): HTMLElement {
  const button = elementOf('button', CONTROL)
  button.type = 'button'
  button.textContent = 'Stop acting'
  button.onclick = () => actAs(null)
  return button
}

/** Development: any person, by name or key. */
function chooser(people: readonly string[]): HTMLElement {
  const form = elementOf('form', 'display:flex;flex-wrap:wrap;gap:.5em;align-items:center')
  const label = elementOf('label', '')
  const input = elementOf('input', CONTROL)
  const list = elementOf('datalist', '')
  list.id = 'act-as-people'
  for (const name of people) {
    const option = elementOf('option', '')
    option.value = name
    list.append(option)
  }
  input.setAttribute('list', list.id)
  input.required = true
  input.autocomplete = 'off'
  label.append('Act as ', input)
  const button = elementOf('button', CONTROL)
  button.textContent = 'Switch person'
  form.append(label, list, button)
  form.onsubmit = (event) => {
    event.preventDefault()
    actAs(input.value.trim())
  }
  return form
}

function text(content: string): HTMLElement {
  const span = elementOf('span', '')
  span.textContent = content
  return span
}

/** An element. The style is set by script, which a strict content policy allows. */
function elementOf<K extends keyof HTMLElementTagNameMap>(name: K, style: string): HTMLElementTagNameMap[K] {
  const made = document.createElement(name)
  made.style.cssText = style
  return made
}
