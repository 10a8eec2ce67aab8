// Rents by site and month: one query of the server, over what the person sees.
import { Alert, Skeleton, Stack, Table, Text, Title } from '@mantine/core'
import { useEffect, useState } from 'react'
import type { SiteRents } from '../../../server/reports.js'
import { useApi } from '../api.js'
import { moneyText } from '../parts/fields.js'

const monthText = (month: string) =>
  new Date(`${month}-01T00:00:00Z`).toLocaleDateString('en-GB', { month: 'long', year: 'numeric', timeZone: 'UTC' })

/** `bills` is what the page lists: when it changes, the report is asked again. */
export function RentsBySite({ bills }: { readonly bills: unknown }) {
  const { send } = useApi()
  const [report, setReport] = useState<readonly SiteRents[] | 'failed'>()
  useEffect(() => {
    let isOver = false
    send('GET', '/reports/rents').then(
      ({ rents }: { rents: SiteRents[] }) => isOver || setReport(rents),
      () => isOver || setReport('failed'),
    )
    return () => {
      isOver = true
    }
  }, [send, bills])
  if (report === undefined) return <Skeleton height={120} aria-busy="true" role="status" aria-label="Loading" />
  if (report === 'failed')
    return (
      <Alert color="red" role="alert" title="The report is not available">
        Reload the page to try again.
      </Alert>
    )
  if (report.length === 0) return null
  return (
    <Stack gap="xs" component="section" aria-label="Rents by site and month">
      <Title order={2} size="h4">
        By site and month
      </Title>
      <Text size="sm" c="dimmed">
        Sums of the bills that you see.
      </Text>
      <Table.ScrollContainer minWidth={480}>
        <Table verticalSpacing="xs">
          <Table.Thead>
            <Table.Tr>
              {['Site', 'Due in', 'Bills', 'Amount', 'Paid', 'Open'].map((title) => (
                <Table.Th key={title}>{title}</Table.Th>
              ))}
            </Table.Tr>
          </Table.Thead>
          <Table.Tbody>
            {report.map(({ site, month, bills: count, amount, paid }) => (
              <Table.Tr key={`${site} ${month}`} data-sum={`${site ?? 'none'} ${month} ${count} ${amount} ${paid}`}>
                <Table.Td>{site ?? 'Other plots'}</Table.Td>
                <Table.Td>{monthText(month)}</Table.Td>
                <Table.Td className="number">{count}</Table.Td>
                <Table.Td className="number">{moneyText(amount)}</Table.Td>
                <Table.Td className="number">{moneyText(paid)}</Table.Td>
                <Table.Td className="number">{moneyText(amount - paid)}</Table.Td>
              </Table.Tr>
            ))}
          </Table.Tbody>
        </Table>
      </Table.ScrollContainer>
    </Stack>
  )
}
