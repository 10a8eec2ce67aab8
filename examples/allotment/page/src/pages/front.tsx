// The public front page: vacant plots and notices.
import { SimpleGrid, Stack, Text, Title } from '@mantine/core'
import { useRules } from 'pachter/react'
import { Link } from 'wouter'
import { Listed } from '../parts/states.js'
import { useRecords } from '../records.js'
import { useSession } from '../session.js'
import { Notices } from './notices.js'
import { PlotCard } from './plots.js'
import { Sites } from './sites.js'

export function FrontPage() {
  const plots = useRecords('plot')
  const notices = useRecords('notice')
  const { session } = useSession()
  const { view, state } = useRules()
  const vacant = plots.records.filter(({ record }) => record.state === 'vacant')
  const published = notices.records.filter(({ record }) => record.state === 'published')
  const shutOut = session !== undefined && state === 'ready' && view.may('read', 'plot') === 'never'
  return (
    <Stack gap="xl">
      <div>
        <Title order={1}>Marsh Lane Allotments</Title>
        <Text c="dimmed">
          {session === undefined
            ? 'Garden plots by the river, on three sites. Members sign in to see theirs.'
            : `Welcome, ${session.name}.`}
        </Text>
        {session !== undefined && !shutOut && (
          <Text mt="xs">
            <Link href="/plots">Your plots</Link>, <Link href="/jobs">your jobs</Link>, <Link href="/diary">the diary</Link>.
          </Text>
        )}
        {shutOut && <Text mt="xs">You have no access yet. Ask the secretary.</Text>}
      </div>
      <section aria-label="Vacant plots">
        <Title order={2} mb="xs">
          Vacant plots
        </Title>
        <Listed list={plots} count={vacant.length} empty="None at the moment.">
          <SimpleGrid cols={{ base: 1, sm: 2, lg: 3 }} spacing="sm">
            {vacant.map(({ record }) => (
              <PlotCard key={record.id} plot={record} />
            ))}
          </SimpleGrid>
        </Listed>
      </section>
      <section aria-label="Notices">
        <Title order={2} mb="xs">
          Notices
        </Title>
        <Listed list={notices} count={published.length} empty="None at the moment.">
          <Notices notices={published} />
        </Listed>
      </section>
      <Sites />
    </Stack>
  )
}
