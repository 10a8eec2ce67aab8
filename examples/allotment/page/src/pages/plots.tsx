// The plots that the person sees: their own, those shared with them, those they look after, and vacant ones.
import { Badge, Card, Group, Modal, SimpleGrid, Stack, Text, Title } from '@mantine/core'
import { useRules, useServerVerdict } from 'pachter/react'
import { useState } from 'react'
import { Link, useLocation } from 'wouter'
import { useApi } from '../api.js'
import { tell } from '../parts/dialogs.js'
import { BLANK, moneyText } from '../parts/fields.js'
import { useNames } from '../parts/names.js'
import { CreateOffer } from '../parts/offer.js'
import { RecordForm } from '../parts/record-form.js'
import { Listed } from '../parts/states.js'
import { type Seen, type Shown, useEver, useRecords } from '../records.js'
import { useSession } from '../session.js'

const STATES = { vacant: 'leaf', let: 'gray', ending: 'yellow' } as const

export function PlotsPage() {
  const plots = useRecords('plot')
  const shares = useRecords('share')
  const { view } = useRules()
  const { session } = useSession()
  const isMine = ({ holderId, coHolderIds }: Seen<'plot'>) =>
    view.me !== null && (holderId === view.me || coHolderIds?.includes(view.me as string) === true)
  const sharedWithMe = new Set(shares.records.filter(({ record }) => record.grantedById !== view.me).map(({ record }) => record.plotId))
  const groups: { title: string; of: Shown<'plot'>[] }[] = [
    { title: 'Yours', of: [] },
    { title: 'Shared with you', of: [] },
    { title: session === undefined ? 'Held by others' : 'Others that you see', of: [] },
    { title: 'Vacant', of: [] },
  ]
  for (const shown of [...plots.records].sort((a, b) => (a.record.number ?? 0) - (b.record.number ?? 0))) {
    const at = isMine(shown.record) ? 0 : sharedWithMe.has(shown.record.id) ? 1 : shown.record.state === 'vacant' ? 3 : 2
    groups[at]?.of.push(shown)
  }
  return (
    <Stack gap="lg">
      <Group justify="space-between">
        <Title order={1}>Plots</Title>
        {useEver('create', 'plot') && <NewPlot />}
      </Group>
      <Listed list={plots} count={plots.records.length} empty="There are no plots that you may see.">
        {groups
          .filter(({ of }) => of.length > 0)
          .map(({ title, of }) => (
            <section key={title} aria-label={title}>
              <Title order={2} mb="xs">
                {title}
              </Title>
              <SimpleGrid cols={{ base: 1, sm: 2, lg: 3 }} spacing="sm">
                {of.map(({ record }) => (
                  <PlotCard key={record.id} plot={record} />
                ))}
              </SimpleGrid>
            </section>
          ))}
      </Listed>
    </Stack>
  )
}

export function PlotState({ state }: { readonly state: Seen<'plot'>['state'] }) {
  return state === undefined ? null : (
    <Badge color={STATES[state]} variant="light">
      {state}
    </Badge>
  )
}

export function PlotCard({ plot }: { readonly plot: Seen<'plot'> }) {
  const names = useNames()
  return (
    <Card component={Link} href={`/plots/${plot.id}`} withBorder padding="md" className="card" data-record={`plot ${plot.id}`}>
      <Group justify="space-between" wrap="nowrap">
        <Text fw={600}>Plot {plot.number}</Text>
        <PlotState state={plot.state} />
      </Group>
      <Text size="sm" c="dimmed">
        {names.site(plot.siteId)}
      </Text>
      <Text size="sm" mt={6} lineClamp={1}>
        {plot.planting ?? ''}
      </Text>
      {plot.rentDue !== undefined && (
        <Text size="sm" c="dimmed">
          Rent {moneyText(plot.rentDue)}
        </Text>
      )}
    </Card>
  )
}

function NewPlot() {
  const { send } = useApi()
  const [, go] = useLocation()
  const [open, setOpen] = useState(false)
  const { view } = useRules()
  const { self, sites } = useNames()
  // Asked about a plot on a site of theirs: on which sites it may be, the server says when it is sent.
  const siteIds = self(view.me as string)?.siteIds
  const sample = { ...BLANK.plot, number: 1, siteId: siteIds?.[0] ?? sites[0]?.value ?? '' }
  const verdict = useServerVerdict('create', 'plot', sample)
  return (
    <>
      <CreateOffer type="plot" verdict={verdict} record={sample} use={() => setOpen(true)} look={{ size: 'sm', variant: 'filled' }}>
        New plot
      </CreateOffer>
      <Modal opened={open} onClose={() => setOpen(false)} title="New plot">
        <RecordForm
          type="plot"
          fields={['number', 'siteId', 'state', 'planting']}
          initial={{ ...BLANK.plot, ...(siteIds?.[0] ? { siteId: siteIds[0] } : {}) }}
          isNew
          submit="Add plot"
          send={async (values) => {
            const plot = await send('POST', '/api/plot', values)
            setOpen(false)
            tell(`Plot ${plot.number} was added.`)
            go(`/plots/${plot.id}`)
          }}
          cancel={() => setOpen(false)}
        />
      </Modal>
    </>
  )
}
