// Notices: drafts for their writers, and published ones for everyone.
import { Badge, Button, Card, Group, Stack, Text, Title } from '@mantine/core'
import { useRules } from 'pachter/react'
import { useState } from 'react'
import { useApi } from '../api.js'
import { Change, Remove, tell, tellProblem } from '../parts/dialogs.js'
import { dayText } from '../parts/fields.js'
import { useNames } from '../parts/names.js'
import { NewRecord } from '../parts/new-record.js'
import { Listed } from '../parts/states.js'
import { type Shown, useRecords, verdictFor } from '../records.js'

export function NoticesPage() {
  const notices = useRecords('notice')
  const sample = { title: '…', text: '…', state: 'draft' }
  return (
    <Stack gap="lg">
      <Group justify="space-between">
        <Title order={1}>Notices</Title>
        <NewRecord type="notice" label="New notice" submit="Save as draft" sample={sample} fields={['title', 'text']} />
      </Group>
      <Listed list={notices} count={notices.records.length} empty="There are no notices.">
        <Notices notices={notices.records} />
      </Listed>
    </Stack>
  )
}

/** Notices, the latest first, and drafts before them. */
export function Notices({ notices }: { readonly notices: readonly Shown<'notice'>[] }) {
  const when = ({ record }: Shown<'notice'>) => record.publishedAt ?? '9'
  return (
    <Stack gap="sm">
      {[...notices]
        .sort((a, b) => (when(a) < when(b) ? 1 : -1))
        .map((shown) => (
          <NoticeCard key={shown.record.id} shown={shown} />
        ))}
    </Stack>
  )
}

function NoticeCard({ shown }: { readonly shown: Shown<'notice'> }) {
  const names = useNames()
  const { record } = shown
  const name = `the notice “${record.title}”`
  const isDraft = record.state === 'draft'
  const isComing = !isDraft && Date.parse(record.publishedAt ?? '') > Date.now()
  return (
    <Card withBorder padding="md" component="article" aria-label={record.title ?? 'a notice'} data-record={`notice ${record.id}`}>
      <Group justify="space-between" align="flex-start">
        <div>
          <Group gap="xs">
            <Text fw={600}>{record.title}</Text>
            {isDraft && <Badge variant="default">draft</Badge>}
            {isComing && <Badge variant="light">from {dayText(record.publishedAt)}</Badge>}
          </Group>
          <Text size="sm" c="dimmed">
            {names.member(record.authorId)}
            {record.publishedAt !== undefined && `, ${dayText(record.publishedAt)}`}
          </Text>
        </div>
        <Group gap="xs">
          {isDraft && <Publish shown={shown} name={name} />}
          <Change type="notice" shown={shown} name={name} />
          <Remove type="notice" shown={shown} name={name} />
        </Group>
      </Group>
      <Text mt="xs" className="said">
        {record.text}
      </Text>
    </Card>
  )
}

/** Publishing is an update of three fields. People who may change these may publish. */
function Publish({ shown, name }: { readonly shown: Shown<'notice'>; readonly name: string }) {
  const { send } = useApi()
  const { view } = useRules()
  const [busy, setBusy] = useState(false)
  const { allowed, fields } = verdictFor(view, 'update', 'notice', shown)
  const may = allowed && ['state', 'approved', 'publishedAt'].every((field) => fields?.includes(field) ?? true)
  if (!may) return null
  const publish = async () => {
    setBusy(true)
    try {
      await send('PATCH', `/api/notice/${shown.record.id}`, { state: 'published', approved: true, publishedAt: new Date().toISOString() })
      tell(`Published: ${name}.`)
    } catch (error) {
      tellProblem(error)
    } finally {
      setBusy(false)
    }
  }
  return (
    <Button size="xs" loading={busy} onClick={publish} aria-label={`Publish ${name}`}>
      Publish
    </Button>
  )
}
