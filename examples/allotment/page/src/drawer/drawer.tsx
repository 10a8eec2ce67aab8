// The developer's drawer: your claims, the verdicts that the page uses, and the requests to the server.
import { Button, CloseButton, Code, Group, Tabs, Text } from '@mantine/core'
import { useRules } from 'pachter/react'
import { useEffect, useState } from 'react'
import { type LoggedRequest, useApi, useAsked } from '../api.js'
import { useUsed } from '../parts/verdicts.js'
import { useSession } from '../session.js'
import { VerdictList } from './verdict-list.js'

export function Drawer({ close }: { readonly close: () => void }) {
  const verdicts = useUsed()
  const asked = useAsked()
  const refused = verdicts.filter(({ allowed }) => !allowed).length
  return (
    <aside className="drawer" aria-label="Explain access">
      <Group justify="space-between" mb="xs">
        <Text fw={600}>Explain access</Text>
        <CloseButton onClick={close} aria-label="Close the drawer" />
      </Group>
      <Tabs defaultValue="verdicts" keepMounted={false}>
        <Tabs.List mb="sm">
          <Tabs.Tab value="verdicts">
            Verdicts ({verdicts.length - refused} yes, {refused} no)
          </Tabs.Tab>
          <Tabs.Tab value="me">You</Tabs.Tab>
          <Tabs.Tab value="asked">Requests ({asked.length})</Tabs.Tab>
        </Tabs.List>
        <Tabs.Panel value="verdicts">
          <VerdictList verdicts={verdicts} />
        </Tabs.Panel>
        <Tabs.Panel value="me">
          <Me />
        </Tabs.Panel>
        <Tabs.Panel value="asked">
          <Requests asked={asked} />
        </Tabs.Panel>
      </Tabs>
    </aside>
  )
}

interface Stands {
  readonly me: object | null
  readonly member: object | null
  readonly privileges: readonly string[]
  readonly routines: readonly string[]
}

/** The person's identity: the token, the claims that the rules get from it, and what they read again. */
function Me() {
  const { headers } = useApi()
  const { session } = useSession()
  const { view } = useRules()
  const [stands, setStands] = useState<Stands>()
  useEffect(() => {
    let gone = false
    fetch('/developer/me', { headers: headers() })
      .then((response) => (response.ok ? response.json() : undefined))
      .then((told) => !gone && setStands(told))
      .catch(() => undefined)
    return () => {
      gone = true
    }
  }, [headers, view])
  const claims =
    session === undefined ? undefined : JSON.parse(atob(session.token.split('.')[1]?.replaceAll('-', '+').replaceAll('_', '/') ?? ''))
  return (
    <div>
      <Part title="Token" note="Signed by the provider. The application ignores its groups." value={claims ?? 'none: a visitor'} />
      <Part title="Claims for the rules" value={stands?.me ?? 'none'} />
      <Part
        title="The member’s record, read for every operation"
        note="It contains roles, sites and a ban."
        value={stands?.member ?? 'none'}
      />
      <Part title="Privileges" value={stands?.privileges.join(', ') || 'none'} />
      <Part title="Routines" value={stands?.routines.join(', ') || 'none'} />
    </div>
  )
}

function Part({ title, note, value }: { readonly title: string; readonly note?: string; readonly value: unknown }) {
  return (
    <section className="part">
      <Text size="sm" fw={600}>
        {title}
      </Text>
      {note && (
        <Text size="xs" c="dimmed">
          {note}
        </Text>
      )}
      <Code block tabIndex={0}>
        {typeof value === 'string' ? value : JSON.stringify(value, null, 2)}
      </Code>
    </section>
  )
}

function Requests({ asked }: { readonly asked: readonly LoggedRequest[] }) {
  const [whole, setWhole] = useState<number>()
  return (
    <ul className="requests">
      {asked.map(({ number, method, path, body, status, took }) => (
        <li key={number}>
          <Button
            variant="transparent"
            size="compact-xs"
            onClick={() => setWhole(whole === number ? undefined : number)}
            aria-expanded={whole === number}
          >
            {method} {shortPath(path)}
          </Button>
          <Text span size="xs" c={status !== undefined && status >= 400 ? 'red' : 'dimmed'}>
            {status === undefined ? '…' : status === 0 ? 'cancelled' : status}
            {took === undefined ? '' : ` after ${Math.round(took)} ms`}
          </Text>
          {whole === number && (
            <Code block tabIndex={0}>
              {decodeURIComponent(path).replaceAll('&list=', '\n  list=').replace('?list=', '\n  list=')}
              {body === undefined ? '' : `\n${body}`}
            </Code>
          )}
        </li>
      ))}
    </ul>
  )
}

/** For several lists, their number. */
function shortPath(path: string): string {
  const lists = path.match(/list=/g)?.length ?? 0
  return lists > 0 ? `${path.split('?')[0]}: ${lists} live lists` : path
}
