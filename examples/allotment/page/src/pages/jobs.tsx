// Jobs: those assigned to the person and, for wardens, all on their sites.
import { Badge, Checkbox, Group, Stack, Text, Title, Tooltip } from '@mantine/core'
import { useRules } from 'pachter/react'
import { useApi } from '../api.js'
import { Change, Remove, tellProblem } from '../parts/dialogs.js'
import { dayText, endOf } from '../parts/fields.js'
import { useNames } from '../parts/names.js'
import { NewRecord } from '../parts/new-record.js'
import { useExpected } from '../parts/optimistic.js'
import { Listed } from '../parts/states.js'
import { type Shown, useRecords, verdictFor } from '../records.js'

export function JobsPage() {
  const jobs = useRecords('job')
  const { view } = useRules()
  const { self } = useNames()
  const me = self(view.me as string)
  const { shown, expect } = useExpected(jobs.records)
  const { send } = useApi()
  const finish = (job: Shown<'job'>, state: string) =>
    expect(job, { state }, () => send('PATCH', `/api/job/${job.record.id}`, { state })).catch(tellProblem)
  const sorted = [...shown].sort((a, b) => ((a.record.dueAt ?? '') < (b.record.dueAt ?? '') ? -1 : 1))
  const siteId = me?.siteIds?.[0]
  const sample = { title: '…', siteId: siteId ?? '', assigneeIds: [], assigneeEmails: [], state: 'open', dueAt: endOf('2030-01-01') }
  return (
    <Stack gap="lg">
      <Group justify="space-between">
        <Title order={1}>Jobs</Title>
        <NewRecord type="job" label="New job" submit="Add job" sample={sample} initial={{ siteId }} since={[siteId]} />
      </Group>
      <Listed list={jobs} count={shown.length} empty="There are no jobs for you.">
        <ul className="rows">
          {sorted.map((job) => (
            <JobRow key={job.record.id} job={job} finish={finish} />
          ))}
        </ul>
      </Listed>
    </Stack>
  )
}

function JobRow({ job, finish }: { readonly job: Shown<'job'>; readonly finish: (job: Shown<'job'>, state: string) => void }) {
  const { view } = useRules()
  const names = useNames()
  const { record } = job
  const { allowed, fields, message } = verdictFor(view, 'update', 'job', job)
  const may = allowed && (fields?.includes('state') ?? true)
  const isDone = record.state === 'done'
  const why = record.state === 'done' ? 'This job is done. Only its warden can open it again.' : message
  const people = [
    ...(record.assigneeIds ?? []).map(names.member),
    ...(record.assigneeEmails ?? []),
    ...(record.teamId ? [`team ${names.team(record.teamId)}`] : []),
  ]
  const name = `the job “${record.title}”`
  return (
    <li data-record={`job ${record.id}`}>
      <Group gap="sm" wrap="nowrap" align="flex-start">
        <Tooltip label={why} disabled={may} events={{ hover: true, focus: true, touch: true }}>
          <div>
            <Checkbox
              checked={isDone}
              onChange={() => may && finish(job, isDone ? 'open' : 'done')}
              aria-label={`${record.title}: done`}
              aria-disabled={!may}
              className={may ? '' : 'withheld'}
              mt={3}
            />
          </div>
        </Tooltip>
        <div>
          <Text fw={500} td={isDone ? 'line-through' : 'none'}>
            {record.title}
          </Text>
          <Text size="sm" c="dimmed">
            {names.site(record.siteId)}, by {dayText(record.dueAt)}
            {people.length > 0 && `, for ${people.join(', ')}`}
          </Text>
        </div>
      </Group>
      <Group gap="xs">
        <Badge variant="light" color={isDone ? 'gray' : 'leaf'}>
          {record.state}
        </Badge>
        <Change type="job" shown={job} name={name} />
        <Remove type="job" shown={job} name={name} quiet />
      </Group>
    </li>
  )
}
