// The verdicts that the page uses, each with its why. A refused action can be sent anyway, to see that the server refuses it too.
import { Button, Group, Text } from '@mantine/core'
import { useState } from 'react'
import type { Used } from '../parts/verdicts.js'
import { SendAnyway } from './send-anyway.js'
import { Why } from './why.js'

export function VerdictList({ verdicts }: { readonly verdicts: readonly Used[] }) {
  if (verdicts.length === 0) return <Text c="dimmed">Nothing on this page depends on a verdict.</Text>
  // Refused ones first: those are usually looked for.
  const sorted = [...verdicts].sort(
    (a, b) => Number(a.allowed) - Number(b.allowed) || nameOf(a).localeCompare(nameOf(b), 'en', { numeric: true }),
  )
  return (
    <ul className="verdicts">
      {sorted.map((verdict) => (
        <VerdictItem key={nameOf(verdict)} verdict={verdict} />
      ))}
    </ul>
  )
}

/** For a new record: what it would belong to. */
function about(record: object = {}): string {
  const links = Object.entries(record).filter(([name, value]) => name.endsWith('Id') && typeof value === 'string' && value !== '')
  return links.map(([name, value]) => `for ${name.slice(0, -2)} ${value}`).join(', ')
}

const nameOf = ({ action, type, key, record }: Used) => `${type} ${key ?? ''} ${action} ${key === undefined ? JSON.stringify(record) : ''}`

function VerdictItem({ verdict }: { readonly verdict: Used }) {
  const [shown, setShown] = useState<'why' | 'send'>()
  const { action, type, key, record, allowed, fields, message } = verdict
  const toggle = (what: 'why' | 'send') => setShown(shown === what ? undefined : what)
  return (
    <li data-verdict={`${action} ${type} ${key ?? ''}`.trim()}>
      <Group justify="space-between" wrap="nowrap" align="flex-start" gap="xs">
        <div>
          <Text size="sm">
            <span className={allowed ? 'yes' : 'no'}>{allowed ? 'yes' : 'no'}</span> {action} {type} {key ?? about(record)}
          </Text>
          <Text size="xs" c="dimmed">
            {allowed ? (fields === undefined ? '' : `only ${fields.join(', ')}`) : message}
          </Text>
        </div>
        <Group gap={4} wrap="nowrap">
          <Button
            size="compact-xs"
            variant="default"
            onClick={() => toggle('why')}
            aria-expanded={shown === 'why'}
            aria-label={`Why: ${action} ${type} ${key ?? ''}`}
          >
            Why
          </Button>
          {!allowed && (
            <Button
              size="compact-xs"
              variant="default"
              onClick={() => toggle('send')}
              aria-expanded={shown === 'send'}
              aria-label={`Send it anyway: ${action} ${type} ${key ?? ''}`}
            >
              Send it anyway
            </Button>
          )}
        </Group>
      </Group>
      {shown === 'why' && <Why of={verdict} />}
      {shown === 'send' && <SendAnyway what={verdict} />}
    </li>
  )
}
