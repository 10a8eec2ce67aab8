// One plot: its fields, its shares, and its diary.
import { Button, Card, Group, Modal, Select, Stack, Text, Title } from '@mantine/core'
import { useRules, useServerVerdict } from 'pachter/react'
import { useState } from 'react'
import { useLocation } from 'wouter'
import { ProblemError, useApi } from '../api.js'
import { Change, Remove, tell, tellProblem } from '../parts/dialogs.js'
import { BLANK, dayText, moneyText } from '../parts/fields.js'
import { useNames } from '../parts/names.js'
import { CreateOffer } from '../parts/offer.js'
import { RecordForm } from '../parts/record-form.js'
import { Listed, NotFound } from '../parts/states.js'
import { type Seen, type Shown, useRecords } from '../records.js'
import { Diary } from './diary.js'
import { PlotState } from './plots.js'

export function PlotPage({ id }: { readonly id: string }) {
  const [, go] = useLocation()
  const plots = useRecords('plot', { id })
  const entries = useRecords('entry', { plotId: id })
  const shares = useRecords('share', { plotId: id })
  const { view } = useRules()
  const names = useNames()
  const [shown] = plots.records
  if (shown === undefined && plots.state === 'live') return <NotFound what="plot" />
  const plot = shown?.record
  const name = plot?.number === undefined ? 'this plot' : `plot ${plot.number}`
  return (
    <Stack gap="lg">
      <Listed list={plots} count={plots.records.length} empty="">
        {shown !== undefined && plot !== undefined && (
          <Card withBorder padding="lg" data-record={`plot ${plot.id}`}>
            <Group justify="space-between" align="flex-start">
              <div>
                <Group gap="sm">
                  <Title order={1}>Plot {plot.number}</Title>
                  <PlotState state={plot.state} />
                </Group>
                <Text c="dimmed">{names.site(plot.siteId)}</Text>
              </div>
              <Group gap="xs">
                <Change type="plot" shown={shown} name={name} />
                {view.mayCall('handOver') && <HandOver plot={plot} />}
                <Remove
                  type="plot"
                  shown={shown}
                  name={name}
                  along={`Its diary (${entries.records.length} ${entries.records.length === 1 ? 'entry' : 'entries'}) and its shares are deleted too.`}
                  gone={() => go('/plots', { replace: true })}
                />
              </Group>
            </Group>
            <Facts plot={plot} />
          </Card>
        )}
      </Listed>
      {shown !== undefined && <Sharing plot={shown} shares={shares} />}
      {shown !== undefined && <Diary entries={entries} plot={shown.record} since={[shown, ...shares.records]} />}
    </Stack>
  )
}

function Facts({ plot }: { readonly plot: Seen<'plot'> }) {
  const names = useNames()
  const facts: [string, string | undefined][] = [
    ['Held by', plot.holderId === undefined ? undefined : plot.holderId === null ? 'nobody' : names.member(plot.holderId)],
    ['Together with', plot.coHolderIds?.length ? plot.coHolderIds.map(names.member).join(', ') : undefined],
    ['Planting', plot.planting === undefined ? undefined : plot.planting || 'nothing yet'],
    ['Rent due', plot.rentDue === undefined ? undefined : moneyText(plot.rentDue)],
    ["Warden's notes", plot.wardenNotes],
  ]
  // What is hidden is not there, and no word of it.
  const seen = facts.filter(([, value]) => value !== undefined)
  if (seen.length === 0) return null
  return (
    <dl className="facts">
      {seen.map(([label, value]) => (
        <div key={label}>
          <dt>{label}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  )
}

const isOver = ({ until }: Seen<'share'>) => until !== undefined && Date.parse(until) <= Date.now()

/** All shares of the plot for its holder; for a member that it is shared with, their own share. */
function Sharing({
  plot: { record: plot },
  shares,
}: {
  readonly plot: Shown<'plot'>
  readonly shares: ReturnType<typeof useRecords<'share'>>
}) {
  const { send } = useApi()
  const { view } = useRules()
  const names = useNames()
  const [open, setOpen] = useState(false)
  const sample = { plotId: plot.id, level: 'look' }
  const verdict = useServerVerdict('create', 'share', sample, { since: [plot] })
  if (!verdict.allowed && shares.records.length === 0) return null
  return (
    <section aria-label="Sharing">
      <Group justify="space-between" mb="xs">
        <Title order={2}>Sharing</Title>
        <CreateOffer type="share" verdict={verdict} record={sample} use={() => setOpen(true)} look={{ size: 'sm' }}>
          Share this plot
        </CreateOffer>
      </Group>
      <Listed list={shares} count={shares.records.length} empty="This plot is not shared.">
        <ul className="rows">
          {shares.records.map((shown) => {
            const { record } = shown
            const member =
              record.memberId === view.me ? 'you' : record.memberId === undefined ? `every ${record.role}` : names.member(record.memberId)
            return (
              <li key={record.id} data-record={`share ${record.id}`}>
                <div>
                  <Text fw={500}>
                    With {member}, to {record.level === 'tend' ? 'tend' : 'look at'}
                  </Text>
                  <Text size="sm" c="dimmed">
                    {record.until === undefined ? 'without end date' : `${isOver(record) ? 'ended' : 'until'} ${dayText(record.until)}`}
                    {record.grantedById === view.me ? '' : `, by ${names.member(record.grantedById)}`}
                  </Text>
                </div>
                <Group gap="xs">
                  <Change type="share" shown={shown} name={`the share with ${member}`} quiet />
                  <Remove
                    type="share"
                    shown={shown}
                    name={`the share with ${member}`}
                    label={record.grantedById === view.me ? 'End' : 'Give up'}
                    along="The plot disappears from their list at once."
                    quiet
                  />
                </Group>
              </li>
            )
          })}
        </ul>
      </Listed>
      <Modal opened={open} onClose={() => setOpen(false)} title={`Share plot ${plot.number}`}>
        <RecordForm
          type="share"
          fields={['memberId', 'level', 'until']}
          initial={{ ...BLANK.share, plotId: plot.id }}
          isNew
          submit="Share plot"
          send={async (values) => {
            if (values.memberId === undefined)
              throw new ProblemError({
                status: 422,
                title: 'Choose a member',
                faults: [{ field: 'memberId', problem: 'Choose a member.' }],
              })
            await send('POST', '/api/share', values)
            setOpen(false)
            tell(`Shared with ${names.member(values.memberId)}.`)
          }}
          cancel={() => setOpen(false)}
        />
      </Modal>
    </section>
  )
}

/** Gives the plot to another holder: a procedure of the server, for people who may call it. */
function HandOver({ plot }: { readonly plot: Seen<'plot'> }) {
  const { send } = useApi()
  const names = useNames()
  const [open, setOpen] = useState(false)
  const [to, setTo] = useState<string | null>(null)
  const [busy, setBusy] = useState(false)
  const handOver = async () => {
    setBusy(true)
    try {
      await send('POST', `/procedures/hand-over/${plot.id}`, { holderId: to })
      setOpen(false)
      tell(to === null ? `Plot ${plot.number} is vacant.` : `Plot ${plot.number} is ${names.member(to)}'s.`)
    } catch (error) {
      tellProblem(error)
    } finally {
      setBusy(false)
    }
  }
  return (
    <>
      <Button size="xs" variant="light" onClick={() => setOpen(true)}>
        Hand over
      </Button>
      <Modal opened={open} onClose={() => setOpen(false)} title={`Hand over plot ${plot.number}`}>
        <Stack gap="sm">
          <Select
            label="To"
            data={names.members as never}
            value={to}
            onChange={setTo}
            searchable
            clearable
            description="Nobody: the plot becomes vacant."
          />
          <Group justify="flex-end">
            <Button variant="default" onClick={() => setOpen(false)}>
              Cancel
            </Button>
            <Button loading={busy} onClick={handOver}>
              Hand over
            </Button>
          </Group>
        </Stack>
      </Modal>
    </>
  )
}
