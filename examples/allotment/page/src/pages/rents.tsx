// Rents: a holder's own bills; for the treasurer the whole ledger.
import { Badge, Card, Group, Stack, Table, Text, Title } from '@mantine/core'
import { useRules } from 'pachter/react'
import { Change, Remove } from '../parts/dialogs.js'
import { dayText, endOf, moneyText } from '../parts/fields.js'
import { useNames } from '../parts/names.js'
import { NewRecord } from '../parts/new-record.js'
import { PlotLink } from '../parts/plot-link.js'
import { Listed } from '../parts/states.js'
import { type Shown, useRecords } from '../records.js'
import { RentsBySite } from './rents-by-site.js'

export function RentsPage() {
  const bills = useRecords('invoice')
  const names = useNames()
  const { view } = useRules()
  const [plotId, memberId] = [names.plots[0]?.value ?? '', names.members[0]?.value ?? '']
  const sample = { plotId, memberId, amount: 0, dueAt: endOf('2030-01-01') }
  const sorted = [...bills.records].sort((a, b) => ((a.record.dueAt ?? '') + a.record.id < (b.record.dueAt ?? '') + b.record.id ? -1 : 1))
  return (
    <Stack gap="lg">
      <Group justify="space-between">
        <Title order={1}>Rents</Title>
        <NewRecord
          type="invoice"
          label="New bill"
          submit="Send bill"
          sample={sample}
          fields={['plotId', 'memberId', 'amount', 'dueAt']}
          since={[plotId, memberId]}
        />
      </Group>
      {view.has('openLedger') && bills.state === 'live' && sorted.length > 0 && <Ledger bills={sorted} />}
      <RentsBySite bills={bills.records} />
      <Listed list={bills} count={sorted.length} empty="There are no bills for you.">
        <Title order={2} size="h4">
          Each bill
        </Title>
        <Table.ScrollContainer minWidth={560}>
          <Table verticalSpacing="xs">
            <Table.Thead>
              <Table.Tr>
                <Table.Th>Plot</Table.Th>
                <Table.Th>For</Table.Th>
                <Table.Th>Amount</Table.Th>
                <Table.Th>Due</Table.Th>
                <Table.Th>Paid</Table.Th>
                <Table.Th>
                  <span className="unseen">Actions</span>
                </Table.Th>
              </Table.Tr>
            </Table.Thead>
            <Table.Tbody>
              {sorted.map((shown) => {
                const { record } = shown
                const name = `the bill for ${names.plot(record.plotId).toLowerCase()} of ${moneyText(record.amount)}`
                return (
                  <Table.Tr key={record.id} data-record={`invoice ${record.id}`}>
                    <Table.Td>
                      <PlotLink id={record.plotId} />
                    </Table.Td>
                    <Table.Td>{names.member(record.memberId)}</Table.Td>
                    <Table.Td className="number">{moneyText(record.amount)}</Table.Td>
                    <Table.Td>{dayText(record.dueAt)}</Table.Td>
                    <Table.Td>
                      {record.paidAt ? (
                        dayText(record.paidAt)
                      ) : (
                        <Badge color="yellow" variant="light">
                          open
                        </Badge>
                      )}
                    </Table.Td>
                    <Table.Td>
                      <Group gap="xs" justify="flex-end" wrap="nowrap">
                        <Change type="invoice" shown={shown} name={name} />
                        <Remove type="invoice" shown={shown} name={name} />
                      </Group>
                    </Table.Td>
                  </Table.Tr>
                )
              })}
            </Table.Tbody>
          </Table>
        </Table.ScrollContainer>
      </Listed>
    </Stack>
  )
}

/** The sums, for people who may open the ledger. */
function Ledger({ bills }: { readonly bills: readonly Shown<'invoice'>[] }) {
  const sum = (some: readonly Shown<'invoice'>[]) => some.reduce((all, { record }) => all + (record.amount ?? 0), 0)
  const open = bills.filter(({ record }) => record.paidAt === undefined)
  return (
    <Card withBorder padding="md" aria-label="Ledger" component="section">
      <Group gap="xl">
        {[
          ['All bills', sum(bills)],
          ['Paid', sum(bills) - sum(open)],
          ['Open', sum(open)],
        ].map(([label, amount]) => (
          <div key={label}>
            <Text size="sm" c="dimmed">
              {label}
            </Text>
            <Text fw={600} className="number">
              {moneyText(amount as number)}
            </Text>
          </div>
        ))}
      </Group>
    </Card>
  )
}
