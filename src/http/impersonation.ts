import { type Comparable, type Row, simplify, TRUE } from '../condition/index.js'
import { type Key, type Model, unknownName, type World } from '../rulebook/index.js'
import type { Store } from '../store/index.js'
import { insideOf } from '../store/internals.js'
import { readClaims } from '../viewpoint/index.js'
import { actingIdentity, checkIdentity, chosenPerson, senderOf } from './acting.js'
import { CredentialError, RequestError, SetupError } from './error.js'
import { isAutomatic } from './identity.js'
import type { Identity, Sender } from './identity-types.js'

/** Who may act as other people, and how a key becomes claims. */
export interface ImpersonationOptions<W extends World = World> {
  /** The store whose rulebook has the privileges. It needs a verdict log. */
  readonly store: Store<W>
  /** The privilege to look at the application as another person. */
  readonly privilege: W['privilege']
  /** The privilege to change data as another person, besides `privilege`. Without it, nobody may. */
  readonly changePrivilege?: W['privilege']
  /** The claims that a person would sign in with, by their key; null if there is no such person. */
  readonly personOf: (key: string, request: Request) => Promise<W['me'] | null | undefined> | W['me'] | null | undefined
  /** Whether this actor may act as this person. Refuse people who may do more than a supporter, such as administrators. */
  readonly mayBe: (person: NonNullable<W['me']>, actor: NonNullable<W['me']>) => Promise<boolean> | boolean
}

/**
 * Lets people with a privilege use the application as another person: their lists, buttons and refusals. The request names the person by
 * their key, in the header or cookie `act-as`; `actAs` of `pachter/client` sets the cookie. Everything is read-only without
 * `changePrivilege`. The verdict log has both people in every entry, and `/my-rules` has the actor as `act` (RFC 8693, section 4.1).
 *
 * Nobody may act as a person who has the privilege too. Wrap it around the whole identity, `firstOf` included.
 * @throws SetupError for options by which everyone could act as others, or for a store without a verdict log
 * @example
 * const identity = impersonation(fromSession(...), {
 *   store,
 *   privilege: 'lookAsMember',
 *   personOf: async (key) => sessions.claimsOf(key),
 *   mayBe: (member) => !member.roles.includes('treasurer'),
 * })
 * app.all('/api/*', (context) => routes(book, store, { identity, base: '/api' })(context.req.raw))
 */
export function impersonation<W extends World>(identity: Identity<W['me']>, options: ImpersonationOptions<W>): Identity<W['me']> {
  checkOptions(identity, options as unknown as ImpersonationOptions)
  const sender = async (request: Request) => {
    const sent = await senderOf(identity, request)
    const chosen = chosenPerson(request)
    return chosen === undefined
      ? sent
      : ((await actingAs(sent, chosen, request, options as unknown as ImpersonationOptions)) as Sender<W['me']>)
  }
  return actingIdentity(sender, {
    automatic: (request) => isAutomatic(identity, request),
    ...(identity.scheme === undefined ? {} : { scheme: identity.scheme }),
  })
}

/** The key in the verdict log is sent by the client. */
const LONGEST_KEY = 200

/** @throws CredentialError, RequestError */
async function actingAs(sent: Sender, chosen: string, request: Request, options: ImpersonationOptions): Promise<Sender> {
  const { store, privilege, changePrivilege, personOf, mayBe } = options
  const { model, logger } = insideOf(store)
  if (sent.me === null || sent.me === undefined) throw new CredentialError('a visitor cannot act as another person')
  const actor = readClaims(model.me, sent.me) as Row
  const own = actor[model.me.key] as Key
  if (chosen === String(own)) return sent
  const refuse = (message: string) => {
    logger?.({ who: own }).entry({ action: 'act as', type: 'me', key: chosen.slice(0, LONGEST_KEY), outcome: 'refused' })
    return new RequestError(403, message)
  }
  // Before anything is looked up: others cannot find out which people exist.
  if (sent.actor !== undefined || !(await store.for(sent.me).has(privilege))) throw refuse('You may not act as another person.')
  const me = (await personOf(chosen, request)) ?? null
  if (me === null || (await mayBe(me as object, sent.me)) !== true || (await store.for(me).has(privilege)))
    throw refuse('You may not act as this person.')
  const readOnly = changePrivilege === undefined || !(await store.for(sent.me).has(changePrivilege))
  return { me, actor: { key: own, readOnly }, actorClaims: sent.me }
}

function checkOptions(identity: unknown, { store, privilege, changePrivilege, personOf, mayBe }: ImpersonationOptions): void {
  const wrong = (problem: string) => new SetupError('impersonation', problem)
  checkIdentity('impersonation', identity)
  if (typeof personOf !== 'function') throw wrong('personOf has to be a function from a key to claims')
  if (typeof mayBe !== 'function')
    throw wrong('mayBe has to be a function that says who may be acted as. Refuse people who may do more than the actor.')
  const { model, logger } = insideOf(store)
  if (logger === undefined)
    throw wrong('give the store a verdict log, as in openStore(book, backend, { log }): each use has to be on record')
  if (privilege === changePrivilege) throw wrong('privilege and changePrivilege have to differ')
  for (const name of changePrivilege === undefined ? [privilege] : [privilege, changePrivilege]) {
    const condition = Object.hasOwn(model.privileges, name) ? model.privileges[name] : undefined
    if (condition === undefined) throw wrong(unknownName('privilege', name, Object.keys(model.privileges)))
    if ([null, anyone(model)].some((claims) => simplify(condition, claims) === TRUE))
      throw wrong(`everyone has the privilege ${name}, so everyone could act as another person. Give it to a role.`)
  }
}

/** Claims with a key and nothing else. */
function anyone({ me }: Model): Row {
  const isNumber = me.fields[me.key]?.type === 'integer'
  return { [me.key]: (isNumber ? 0 : 'anyone') satisfies Comparable }
}
