// Members, sites and teams, as far as the person sees them.
import { Badge, Card, Group, SimpleGrid, Stack, Text, Title } from '@mantine/core'
import { useRules } from 'pachter/react'
import { Change, Remove } from '../parts/dialogs.js'
import { BLANK } from '../parts/fields.js'
import { useNames } from '../parts/names.js'
import { NewRecord } from '../parts/new-record.js'
import { Listed } from '../parts/states.js'
import { useRecords } from '../records.js'
import { Sites } from './sites.js'

export function MembersPage() {
  const members = useRecords('member')
  const { view } = useRules()
  const names = useNames()
  const sorted = [...members.records].sort((a, b) => (a.record.name ?? '').localeCompare(b.record.name ?? ''))
  return (
    <Stack gap="xl">
      <section aria-label="Members">
        <Group justify="space-between" mb="sm">
          <Title order={1}>Members</Title>
          <NewRecord
            type="member"
            label="New member"
            submit="Add member"
            sample={{ ...BLANK.member, name: '…', email: 'new.member@marshlane.example' }}
          />
        </Group>
        <Listed list={members} count={sorted.length} empty="There are no members that you may see.">
          <SimpleGrid cols={{ base: 1, sm: 2, lg: 3 }} spacing="sm">
            {sorted.map((shown) => {
              const { record } = shown
              return (
                <Card key={record.id} withBorder padding="md" data-record={`member ${record.id}`}>
                  <Group justify="space-between" align="flex-start" wrap="nowrap">
                    <div>
                      <Text fw={600}>
                        {record.name} {record.id === view.me && <Badge variant="light">you</Badge>}{' '}
                        {record.banned && (
                          <Badge color="red" variant="light">
                            banned
                          </Badge>
                        )}
                      </Text>
                      <Text size="sm" c="dimmed">
                        {(record.siteIds ?? []).map(names.site).join(', ') || 'of no site'}
                      </Text>
                      {record.email && <Text size="sm">{record.email}</Text>}
                      {record.phone && <Text size="sm">{record.phone}</Text>}
                      {record.roles !== undefined && record.roles.length > 0 && <Text size="sm">{record.roles.join(', ')}</Text>}
                    </div>
                    <Change type="member" shown={shown} name={record.name ?? 'this member'} quiet />
                  </Group>
                </Card>
              )
            })}
          </SimpleGrid>
        </Listed>
      </section>
      <Sites />
      {view.may('read', 'team') !== 'never' && <Teams />}
    </Stack>
  )
}

function Teams() {
  const teams = useRecords('team')
  const names = useNames()
  return (
    <section aria-label="Teams">
      <Group justify="space-between" mb="sm">
        <Title order={2}>Teams</Title>
        <NewRecord type="team" label="New team" submit="Add team" sample={{ ...BLANK.team, name: '…' }} />
      </Group>
      <Listed list={teams} count={teams.records.length} empty="You are in no team.">
        <ul className="rows">
          {teams.records.map((shown) => {
            const name = `the team ${shown.record.name}`
            return (
              <li key={shown.record.id} data-record={`team ${shown.record.id}`}>
                <div>
                  <Text fw={500}>{shown.record.name}</Text>
                  <Text size="sm" c="dimmed">
                    {(shown.record.memberIds ?? []).map(names.member).join(', ')}
                  </Text>
                </div>
                <Group gap="xs">
                  <Change type="team" shown={shown} name={name} quiet />
                  <Remove type="team" shown={shown} name={name} />
                </Group>
              </li>
            )
          })}
        </ul>
      </Listed>
    </section>
  )
}
