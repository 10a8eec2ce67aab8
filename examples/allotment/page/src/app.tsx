// Which page is where, and who has to be signed in for it.
import { Loader, Text } from '@mantine/core'
import { useRouteAccess, useRules } from 'pachter/react'
import { type ReactNode, useEffect, useRef, useState } from 'react'
import { Link, Redirect, Route, Switch, useLocation } from 'wouter'
import { DiaryPage } from './pages/diary.js'
import { FrontPage } from './pages/front.js'
import { InspectionsPage } from './pages/inspections.js'
import { JobsPage } from './pages/jobs.js'
import { MembersPage } from './pages/members.js'
import { NoticesPage } from './pages/notices.js'
import { PlotPage } from './pages/plot.js'
import { PlotsPage } from './pages/plots.js'
import { RentsPage } from './pages/rents.js'
import { NamesProvider } from './parts/names.js'
import { NotFound, Refused, SignIn } from './parts/states.js'
import type { TypeName } from './records.js'
import { beginSignIn, endSignIn, useSession } from './session.js'
import { Shell } from './shell.js'

export function App() {
  const { expired } = useSession()
  return (
    <NamesProvider>
      <Shell>
        <Switch>
          <Route path="/signed-in">
            <SignedIn />
          </Route>
          <Route path="/as/:name">{({ name }) => <As name={name} />}</Route>
          <Route path="/sign-in">
            <SignInPage />
          </Route>
          {expired && (
            <Route>
              <SignIn again />
            </Route>
          )}
          <Route path="/">
            <FrontPage />
          </Route>
          <Page path="/plots" reads="plot">
            <PlotsPage />
          </Page>
          <Route path="/plots/:id">{({ id }) => <PlotPage key={id} id={id} />}</Route>
          <Page path="/diary" reads="entry">
            <DiaryPage />
          </Page>
          <Page path="/jobs" reads="job">
            <JobsPage />
          </Page>
          <Page path="/notices" reads="notice">
            <NoticesPage />
          </Page>
          <Page path="/inspections" reads="inspection">
            <InspectionsPage />
          </Page>
          <Page path="/rents" reads="invoice">
            <RentsPage />
          </Page>
          <Page path="/members" reads="member">
            <MembersPage />
          </Page>
          <Route>
            <NotFound />
          </Route>
        </Switch>
      </Shell>
    </NamesProvider>
  )
}

/** A page for those who may read some records of a type. */
function Page({ path, reads, children }: { readonly path: string; readonly reads: TypeName; readonly children: ReactNode }) {
  return (
    <Route path={path}>
      <Guarded reads={reads}>{children}</Guarded>
    </Route>
  )
}

function Guarded({ reads, children }: { readonly reads: TypeName; readonly children: ReactNode }) {
  const { state } = useRules()
  const access = useRouteAccess({ action: 'read', type: reads })
  if (access === undefined) return <Loader aria-label="Loading" />
  if (access.allowed) return children
  if (access.outcome === 'sign in') return <SignIn />
  return <Refused message={state === 'lost' ? 'The server cannot be reached.' : 'You have no access to this page.'} />
}

/** Starts the sign-in, with a name that the provider knows. */
function As({ name }: { readonly name: string }) {
  useEffect(() => void beginSignIn('/plots', name), [name])
  return <Text>Loading …</Text>
}

function SignInPage() {
  const { session, expired } = useSession()
  return session !== undefined && !expired ? <Redirect to="/" /> : <SignIn />
}

/** Where people come back to from the provider. */
function SignedIn() {
  const { take } = useSession()
  const [, go] = useLocation()
  const [problem, setProblem] = useState<string>()
  const begun = useRef(false)
  useEffect(() => {
    // A code is good once, and effects may run twice.
    if (begun.current) return
    begun.current = true
    endSignIn().then(
      ({ session, back }) => {
        take(session)
        go(back, { replace: true })
      },
      (error: unknown) => setProblem(error instanceof Error ? error.message : String(error)),
    )
  }, [take, go])
  if (problem === undefined) return <Text>Loading …</Text>
  return (
    <>
      <Text role="alert">Sign-in failed: {problem}</Text>
      <Link href="/">Go to the home page</Link>
    </>
  )
}
