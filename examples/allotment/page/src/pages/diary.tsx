// Diary entries with what was said of them, and what was said of that.
import { Badge, Button, Card, Group, Stack, Text, Textarea, Title } from '@mantine/core'
import { useServerVerdict } from 'pachter/react'
import { type FormEvent, useMemo, useState } from 'react'
import { useApi } from '../api.js'
import { Change, Remove, tellProblem } from '../parts/dialogs.js'
import { BLANK, dayText } from '../parts/fields.js'
import { useNames } from '../parts/names.js'
import { CreateOffer } from '../parts/offer.js'
import { PlotLink } from '../parts/plot-link.js'
import { RecordForm } from '../parts/record-form.js'
import { useSending } from '../parts/sending.js'
import { Listed } from '../parts/states.js'
import { type Seen, type Shown, useRecords } from '../records.js'

const AUDIENCES = { plot: 'for the plot', site: 'for the site', everyone: 'for everyone' } as const

type List<K extends 'entry' | 'remark'> = ReturnType<typeof useRecords<K>>

export function DiaryPage() {
  const entries = useRecords('entry')
  return (
    <Stack gap="lg">
      <Title order={1}>Diary</Title>
      <Diary entries={entries} />
    </Stack>
  )
}

/** Entries, the latest first: of one plot, or all visible ones. */
export function Diary({
  entries,
  plot,
  since = [],
}: {
  readonly entries: List<'entry'>
  readonly plot?: Seen<'plot'>
  readonly since?: readonly unknown[]
}) {
  const remarks = useRecords('remark')
  const latest = useMemo(
    () => [...entries.records].sort((a, b) => ((a.record.writtenAt ?? '') < (b.record.writtenAt ?? '') ? 1 : -1)),
    [entries.records],
  )
  const shown = new Set(entries.records.map(({ record }) => record.id))
  const elsewhere =
    plot === undefined && entries.state === 'live' ? remarks.records.filter(({ record }) => !shown.has(record.entryId as string)) : []
  return (
    <section aria-label="Diary">
      {plot && (
        <Title order={2} mb="xs">
          Diary
        </Title>
      )}
      {plot && <Write plot={plot} since={since} />}
      <Listed list={entries} count={entries.records.length} empty="There are no entries that you may read.">
        <Stack gap="sm">
          {latest.map((one) => (
            <EntryCard key={one.record.id} shown={one} remarks={remarks.records} withPlot={plot === undefined} />
          ))}
        </Stack>
      </Listed>
      {elsewhere.length > 0 && (
        <section aria-label="Your other remarks">
          <Title order={2} mt="lg" mb="xs">
            Your remarks on entries that you cannot see
          </Title>
          <Thread remarks={elsewhere} below={undefined} all={elsewhere} />
        </section>
      )}
    </section>
  )
}

/** A form for a new entry, where one may be written. */
function Write({ plot, since }: { readonly plot: Seen<'plot'>; readonly since: readonly unknown[] }) {
  const { send } = useApi()
  const [open, setOpen] = useState(false)
  const sample = { plotId: plot.id, audience: 'plot', text: '…' }
  const verdict = useServerVerdict('create', 'entry', sample, { since })
  return (
    <Group mb="sm" className="offers">
      {open && verdict.allowed ? (
        <Card withBorder w="100%">
          <RecordForm
            type="entry"
            fields={['text', 'audience']}
            initial={{ ...BLANK.entry, plotId: plot.id }}
            isNew
            submit="Save entry"
            send={(values) => send('POST', '/api/entry', values)}
            done={() => setOpen(false)}
            cancel={() => setOpen(false)}
          />
        </Card>
      ) : (
        <CreateOffer type="entry" verdict={verdict} record={sample} use={() => setOpen(true)} look={{ size: 'sm' }}>
          Add entry
        </CreateOffer>
      )}
    </Group>
  )
}

function EntryCard({
  shown,
  remarks,
  withPlot,
}: {
  readonly shown: Shown<'entry'>
  readonly remarks: readonly Shown<'remark'>[]
  readonly withPlot: boolean
}) {
  const names = useNames()
  const { record: entry } = shown
  const mine = remarks.filter(({ record }) => record.entryId === entry.id)
  const name = `the entry of ${dayText(entry.writtenAt)}`
  return (
    <Card withBorder padding="md" component="article" aria-label={name} data-record={`entry ${entry.id}`}>
      <div className="entry-head">
        <div>
          <Text className="said">{entry.text}</Text>
          <Group gap="xs" mt={2}>
            <Text size="sm" c="dimmed">
              {names.member(entry.authorId)}, {dayText(entry.writtenAt)}
              {entry.editedAt === undefined ? '' : ', edited'}
              {withPlot && (
                <>
                  , <PlotLink id={entry.plotId} />
                </>
              )}
            </Text>
            {entry.audience && (
              <Badge size="sm" variant="default">
                {AUDIENCES[entry.audience]}
              </Badge>
            )}
          </Group>
        </div>
        <Group gap="xs" wrap="nowrap">
          <Change type="entry" shown={shown} name={name} quiet />
          <Remove type="entry" shown={shown} name={name} along="Its remarks are deleted too." quiet />
        </Group>
      </div>
      <Thread remarks={mine.filter(({ record }) => isTop(record, mine))} below={entry} all={mine} />
    </Card>
  )
}

/** Whether what it answers is not to be seen: then it stands by itself. */
const isTop = ({ parentId }: Seen<'remark'>, all: readonly Shown<'remark'>[]) =>
  parentId === null || parentId === undefined || !all.some(({ record }) => record.id === parentId)

/** What was said of an entry, and a way to say something where one may. */
function Thread({ remarks, below, all }: ThreadProps & { readonly remarks: readonly Shown<'remark'>[] }) {
  const [isAnswering, setAnswering] = useState(false)
  const sample = { entryId: below?.id ?? '', parentId: null, text: '…' }
  const verdict = useServerVerdict('create', 'remark', sample, { since: [below] })
  const may = below !== undefined && verdict.allowed
  return (
    <div>
      <Remarks remarks={remarks} below={may ? below : undefined} all={all} />
      {may && isAnswering && <Say entryId={below.id} parentId={null} done={() => setAnswering(false)} />}
      {below !== undefined && !isAnswering && (
        <CreateOffer
          type="remark"
          verdict={verdict}
          record={sample}
          use={() => setAnswering(true)}
          look={{ size: 'compact-xs', variant: 'subtle', ml: -8 }}
        >
          Add remark
        </CreateOffer>
      )}
    </div>
  )
}

interface ThreadProps {
  /** The entry, where something may be said of it. */
  readonly below: Seen<'entry'> | undefined
  readonly all: readonly Shown<'remark'>[]
}

function Remarks({ remarks, below, all }: ThreadProps & { readonly remarks: readonly Shown<'remark'>[] }) {
  return remarks.length === 0 ? null : (
    <ul className="thread">
      {remarks.map((shown) => (
        <RemarkItem key={shown.record.id} shown={shown} below={below} all={all} />
      ))}
    </ul>
  )
}

function RemarkItem({ shown, below, all }: ThreadProps & { readonly shown: Shown<'remark'> }) {
  const [answering, setAnswering] = useState(false)
  const names = useNames()
  const { record } = shown
  const name = `the remark of ${names.member(record.authorId)}`
  return (
    <li data-record={`remark ${record.id}`}>
      <div className="entry-head">
        <Text size="sm" className="said">
          {record.text}{' '}
          <Text span size="sm" c="dimmed">
            {names.member(record.authorId)}
          </Text>
        </Text>
        <Group gap={4} wrap="nowrap">
          {below && (
            <Button size="compact-xs" variant="subtle" onClick={() => setAnswering(true)} aria-label={`Reply to ${name}`}>
              Reply
            </Button>
          )}
          <Change type="remark" shown={shown} name={name} quiet />
          <Remove type="remark" shown={shown} name={name} along="Its replies are deleted too." quiet />
        </Group>
      </div>
      {below && answering && <Say entryId={below.id} parentId={record.id} done={() => setAnswering(false)} />}
      <Remarks remarks={all.filter((one) => one.record.parentId === record.id)} below={below} all={all} />
    </li>
  )
}

function Say({ entryId, parentId, done }: { readonly entryId: string; readonly parentId: string | null; readonly done: () => void }) {
  const { send } = useApi()
  const [text, setText] = useState('')
  const [busy, once] = useSending()
  const say = async (event: FormEvent) => {
    event.preventDefault()
    if (text.trim() === '') return
    await once(() => send('POST', '/api/remark', { entryId, parentId, text }).then(done, tellProblem))
  }
  return (
    <form onSubmit={say}>
      <Group gap="xs" align="flex-end" my={6}>
        <Textarea
          label="Your remark"
          value={text}
          onChange={(event) => setText(event.currentTarget.value)}
          autosize
          flex={1}
          data-autofocus
        />
        <Button type="submit" size="xs" loading={busy}>
          Send remark
        </Button>
        <Button size="xs" variant="default" onClick={done}>
          Cancel
        </Button>
      </Group>
    </form>
  )
}
