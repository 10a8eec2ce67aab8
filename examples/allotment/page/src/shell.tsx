// The frame around every page: navigation, the person, and the developer's drawer.
import { Button, Group, Text } from '@mantine/core'
import { useRules } from 'pachter/react'
import { type ReactNode, useEffect, useRef, useState } from 'react'
import { Link, useLocation } from 'wouter'
import { Drawer } from './drawer/drawer.js'
import { SignInButton } from './parts/states.js'
import type { TypeName } from './records.js'
import { useSession } from './session.js'

const PAGES: readonly { readonly path: string; readonly title: string; readonly type: TypeName }[] = [
  { path: '/plots', title: 'Plots', type: 'plot' },
  { path: '/diary', title: 'Diary', type: 'entry' },
  { path: '/jobs', title: 'Jobs', type: 'job' },
  { path: '/notices', title: 'Notices', type: 'notice' },
  { path: '/inspections', title: 'Inspections', type: 'inspection' },
  { path: '/rents', title: 'Rents', type: 'invoice' },
  { path: '/members', title: 'Members', type: 'member' },
]

export function Shell({ children }: { readonly children: ReactNode }) {
  const { expired } = useSession()
  const { view } = useRules()
  const [here] = useLocation()
  const [open, setOpen] = useState(() => sessionStorage.getItem('drawer') === 'open')
  const main = useRef<HTMLElement>(null)
  const first = useRef(true)
  useEffect(() => {
    const title = PAGES.find(({ path }) => here.startsWith(path))?.title
    document.title = title === undefined ? 'Marsh Lane Allotments' : `${title} · Marsh Lane Allotments`
    // Announces the new page to screen readers.
    if (!first.current) main.current?.focus()
    first.current = false
  }, [here])
  const show = (shown: boolean) => {
    sessionStorage.setItem('drawer', shown ? 'open' : 'shut')
    setOpen(shown)
  }
  const pages = PAGES.filter(({ type }) => !expired && view.may('read', type) !== 'never')
  return (
    <div className={open ? 'shell with-drawer' : 'shell'}>
      <div>
        <a className="skip" href="#main">
          Skip to content
        </a>
        <header className="bar">
          <div>
            <Group justify="space-between" pt="xs" wrap="nowrap">
              <Link href="/" className="brand">
                <svg width="22" height="22" viewBox="0 0 16 16" aria-hidden="true">
                  <rect width="16" height="16" rx="3" fill="currentColor" />
                  <path
                    d="M8 13V7M8 9C4 9 3.5 6 3.5 4.5 6 4.5 8 6 8 9zM8 8C8 5.5 9.500 3.500 12.500 3.500 12.500 6 11 8 8 8z"
                    stroke="var(--sheet)"
                    fill="none"
                  />
                </svg>
                Marsh Lane
              </Link>
              <Account />
            </Group>
            <nav aria-label="Pages">
              {pages.map(({ path, title }) => (
                <Link key={path} href={path} aria-current={here.startsWith(path) ? 'page' : undefined}>
                  {title}
                </Link>
              ))}
            </nav>
          </div>
        </header>
        <main id="main" ref={main} tabIndex={-1}>
          {children}
        </main>
      </div>
      {open ? (
        <Drawer close={() => show(false)} />
      ) : (
        <Button className="drawer-opener" variant="default" size="sm" onClick={() => show(true)}>
          Explain access
        </Button>
      )}
    </div>
  )
}

/** The signed-in person, and how to sign in as another. */
function Account() {
  const { session, signOut } = useSession()
  const [, go] = useLocation()
  return (
    <Group gap="sm" wrap="nowrap">
      {session === undefined ? (
        <>
          <Text size="sm" c="dimmed">
            a visitor
          </Text>
          <SignInButton compact />
        </>
      ) : (
        <>
          <Text size="sm" truncate maw={160}>
            {session.name}
          </Text>
          <Button
            size="xs"
            variant="default"
            onClick={() => {
              signOut()
              go('/')
            }}
          >
            Sign out
          </Button>
        </>
      )}
    </Group>
  )
}
