// What is shown in place of records: while they load, if there are none, and if the person may not see them.
import { Alert, Button, Skeleton, Stack, Text, Title } from '@mantine/core'
import type { LiveList } from 'pachter/client'
import type { ReactNode } from 'react'
import { Link, useLocation } from 'wouter'
import { beginSignIn, useSession } from '../session.js'

type ListState = Pick<LiveList, 'state' | 'message'>

/** The records of a list, or a message instead. */
export function Listed({
  list,
  count,
  empty,
  children,
}: {
  readonly list: ListState
  readonly count: number
  readonly empty: ReactNode
  readonly children: ReactNode
}) {
  const { state, message } = list
  if (state === 'loading')
    return (
      <Stack gap="xs" aria-busy="true" role="status" aria-label="Loading">
        {[1, 2, 3].map((row) => (
          <Skeleton key={row} height={52} />
        ))}
      </Stack>
    )
  if (state === 'refused' || state === 'ended')
    return (
      <Alert color="red" role="alert" title="This list is not available">
        {message}
      </Alert>
    )
  return (
    <>
      {state === 'lost' && (
        <Alert color="yellow" role="status" mb="sm" title="Connection lost">
          This list may be out of date. Reconnecting …
        </Alert>
      )}
      {count === 0 ? <Text c="dimmed">{empty}</Text> : children}
    </>
  )
}

/** A page with a single message. */
function Plain({ title, children }: { readonly title: string; readonly children: ReactNode }) {
  return (
    <Stack maw={520} mt="xl" gap="sm">
      <Title order={1}>{title}</Title>
      {children}
    </Stack>
  )
}

/** A missing record and a hidden one look the same. */
export function NotFound({ what = 'page' }: { readonly what?: string }) {
  const { session } = useSession()
  return (
    <Plain title="Not found">
      <Text>
        {session === undefined ? `There is no such ${what}, or not for visitors.` : `There is no such ${what}, or none that you may see.`}
      </Text>
      {session === undefined && <SignInButton />}
      <Link href="/">Go to the home page</Link>
    </Plain>
  )
}

export function Refused({ message }: { readonly message: string }) {
  return (
    <Plain title="No access">
      <Text>{message}</Text>
      <Link href="/">Go to the home page</Link>
    </Plain>
  )
}

/** Asks a visitor to sign in, and returns them to this page. */
export function SignIn({ again = false }: { readonly again?: boolean }) {
  const { signOut } = useSession()
  const [, go] = useLocation()
  const goOn = () => {
    signOut()
    go('/')
  }
  return (
    <Plain title={again ? 'Sign in again' : 'Sign in'}>
      <Text>
        {again ? 'Your session has expired. Sign in to return to this page.' : 'This page is for members. Sign in to return to it.'}
      </Text>
      <SignInButton />
      {again ? (
        <div>
          <Button variant="default" onClick={goOn}>
            Continue as a visitor
          </Button>
        </div>
      ) : (
        <Link href="/">Go to the home page</Link>
      )}
    </Plain>
  )
}

export function SignInButton({ compact = false }: { readonly compact?: boolean }) {
  const [here] = useLocation()
  return (
    <div>
      <Button size={compact ? 'xs' : 'sm'} onClick={() => beginSignIn(here)}>
        Sign in
      </Button>
    </div>
  )
}
