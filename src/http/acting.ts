import { cookieOf } from './cookie.js'
import { CredentialError, RequestError, SetupError } from './error.js'
import type { ActingIdentity, Identity, Sender } from './identity-types.js'
import { isLocal } from './local.js'

/** @throws SetupError if it is not an identity */
export function checkIdentity(at: string, identity: unknown): void {
  if (typeof identity !== 'function') throw new SetupError(at, 'give it an identity: fromToken, fromSession or a function of your own')
}

/** Who is asking, and who sends the request. @throws CredentialError, RequestError */
export async function senderOf<Me>(identity: Identity<Me>, request: Request): Promise<Sender<Me>> {
  const { sender } = identity as Partial<ActingIdentity<Me>>
  return sender === undefined ? { me: await identity(request) } : sender(request)
}

/**
 * An identity from a function that also finds the actor. Without a guard nobody would notice the actor, so a plain call then fails.
 */
export function actingIdentity<Me>(
  sender: (request: Request) => Promise<Sender<Me>>,
  options: Pick<Identity<Me>, 'automatic' | 'scheme'>,
): ActingIdentity<Me> {
  const identity = async (request: Request) => {
    const { me, actor } = await sender(request)
    if (actor !== undefined)
      throw new CredentialError(
        'this request acts as another person: give the identity to routes or guard, which know what the actor may do',
      )
    return me
  }
  return Object.assign(identity, options, { sender })
}

/** The header that names the person to act as. */
export const ACT_AS = 'act-as'

/** The cookie. With this prefix (RFC 6265bis, section 4.1.3), other hosts of the same site cannot set it. It needs https. */
const COOKIE = `__Host-${ACT_AS}`

/** The person that a request wants to act as; undefined for none. @throws RequestError */
export function chosenPerson(request: Request): string | undefined {
  const header = request.headers.get(ACT_AS)
  if (header === null) {
    const atHome = isLocal(new URL(request.url).hostname) ? cookieOf(request, ACT_AS) : undefined
    return cookieOf(request, COOKIE) || atHome || undefined
  }
  try {
    return decodeURIComponent(header) || undefined
  } catch {
    throw new RequestError(400, `The header ${ACT_AS} has to be percent-encoded.`)
  }
}
