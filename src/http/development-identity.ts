import { ACT_AS, actingIdentity, checkIdentity, chosenPerson, senderOf } from './acting.js'
import { RequestError, SetupError } from './error.js'
import { isAutomatic } from './identity.js'
import type { Identity, Sender } from './identity-types.js'
import { isLocal } from './local.js'

/** The people of a development server. */
export interface DevelopmentOptions<Me> {
  /** Claims by name, such as the people of `pachter.config.ts`. The name `visitor` is for a visitor. */
  readonly people: { readonly [name: string]: Me | null }
  /** Claims of people who are not in `people`, by the key of their record, for example. */
  readonly personOf?: (key: string, request: Request) => Promise<Me | null | undefined> | Me | null | undefined
}

/**
 * In development, you use the application as any person, without signing in: the header or cookie `act-as` names the person. The bar of
 * `pachter/client` sets the cookie. Without it, the application's own sign-in counts.
 *
 * Only for requests to this machine, and only if `NODE_ENV` is `development` or `test`.
 * @throws SetupError in any other environment
 * @example
 * const signIn = fromSession(...)
 * const identity = process.env.NODE_ENV === 'development' ? developmentIdentity(signIn, { people }) : signIn
 */
export function developmentIdentity<Me>(identity: Identity<Me>, { people, personOf }: DevelopmentOptions<Me>): Identity<Me> {
  checkEnvironment()
  checkIdentity('developmentIdentity', identity)
  if (typeof people !== 'object' || people === null) throw new SetupError('developmentIdentity', 'people: give claims by name')
  const names = Object.freeze([...new Set([...Object.keys(people), 'visitor'])])
  const sender = async (request: Request): Promise<Sender<Me>> => {
    checkEnvironment()
    const isHere = isLocal(new URL(request.url).hostname)
    const chosen = chosenPerson(request)
    if (chosen === undefined) return { ...(await senderOf(identity, request)), ...(isHere ? { people: names } : {}) }
    if (!isHere) throw new RequestError(403, 'You can act as another person on your own machine only.')
    const isListed = Object.hasOwn(people, chosen)
    const me = isListed ? people[chosen] : chosen === 'visitor' ? null : ((await personOf?.(chosen, request)) ?? undefined)
    if (me === undefined) throw new RequestError(403, `There is no person ${JSON.stringify(chosen)}: choose one of ${names.join(', ')}.`)
    return { me, actor: { key: null, readOnly: false }, people: names }
  }
  return actingIdentity(sender, {
    // A browser sends the cookie by itself.
    automatic: (request) => isAutomatic(identity, request) || (!request.headers.has(ACT_AS) && chosenPerson(request) !== undefined),
    ...(identity.scheme === undefined ? {} : { scheme: identity.scheme }),
  })
}

function checkEnvironment(): void {
  const environment = globalThis.process?.env.NODE_ENV
  if (environment !== 'development' && environment !== 'test')
    throw new SetupError(
      'developmentIdentity',
      `everyone could act as anyone, so it needs NODE_ENV=development; here it is ${environment === undefined ? 'not set' : environment}`,
    )
}
