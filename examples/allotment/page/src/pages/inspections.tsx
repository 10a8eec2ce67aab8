// Inspections of plots: drafts belong to their inspector, and filed ones cannot change.
import { Badge, Card, Group, Stack, Text, Title } from '@mantine/core'
import { useApi } from '../api.js'
import { Change, Remove, tell, tellProblem } from '../parts/dialogs.js'
import { dayText, endOf } from '../parts/fields.js'
import { useNames } from '../parts/names.js'
import { NewRecord } from '../parts/new-record.js'
import { Offer } from '../parts/offer.js'
import { PlotLink } from '../parts/plot-link.js'
import { Listed } from '../parts/states.js'
import { type Shown, useRecords } from '../records.js'

export function InspectionsPage() {
  const inspections = useRecords('inspection')
  const plots = useRecords('plot')
  const names = useNames()
  // A plot that they look after: it shows in the fields that they see.
  const plotId = plots.records.find(({ may }) => may.update?.allowed && may.update.fields?.includes('wardenNotes') !== false)?.record.id
  const sample = { plotId: plotId ?? '', findings: '', state: 'draft', seasonEndsAt: endOf('2030-10-31') }
  const sorted = [...inspections.records].sort((a, b) =>
    names.plot(a.record.plotId).localeCompare(names.plot(b.record.plotId), 'en', { numeric: true }),
  )
  return (
    <Stack gap="lg">
      <Group justify="space-between">
        <Title order={1}>Inspections</Title>
        <NewRecord
          type="inspection"
          label="New inspection"
          submit="Save as draft"
          sample={sample}
          fields={['plotId', 'findings', 'seasonEndsAt']}
          since={[plotId]}
        />
      </Group>
      <Listed list={inspections} count={sorted.length} empty="There are no inspections that you may see.">
        <Stack gap="sm">
          {sorted.map((shown) => (
            <InspectionCard key={shown.record.id} shown={shown} />
          ))}
        </Stack>
      </Listed>
    </Stack>
  )
}

function InspectionCard({ shown }: { readonly shown: Shown<'inspection'> }) {
  const { send } = useApi()
  const names = useNames()
  const { record } = shown
  const name = `the inspection of ${names.plot(record.plotId).toLowerCase()}`
  const confirm = () =>
    send('POST', `/api/inspection/${record.id}/confirm`)
      .then(() => tell(`Confirmed and filed: ${name}.`))
      .catch(tellProblem)
  return (
    <Card withBorder padding="md" component="article" aria-label={name} data-record={`inspection ${record.id}`}>
      <Group justify="space-between" align="flex-start">
        <div>
          <Group gap="xs">
            <Text fw={600}>
              <PlotLink id={record.plotId} />
            </Text>
            <Badge variant={record.state === 'filed' ? 'light' : 'default'}>{record.state}</Badge>
          </Group>
          <Text size="sm" c="dimmed">
            {names.member(record.inspectorId)}; season until {dayText(record.seasonEndsAt)}
          </Text>
        </div>
        <Group gap="xs">
          <Offer action="confirm" type="inspection" shown={shown} use={confirm} of={name} quiet>
            Confirm
          </Offer>
          <Change type="inspection" shown={shown} name={name} />
          <Remove type="inspection" shown={shown} name={name} />
        </Group>
      </Group>
      <Text mt="xs">{record.findings}</Text>
    </Card>
  )
}
