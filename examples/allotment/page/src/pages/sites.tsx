// The sites: everyone sees their names, and members of a site see how to open its gate.
import { Text, Title } from '@mantine/core'
import { Change } from '../parts/dialogs.js'
import { Listed } from '../parts/states.js'
import { useRecords } from '../records.js'

export function Sites() {
  const sites = useRecords('site')
  return (
    <section aria-label="Sites">
      <Title order={2} mb="sm">
        Sites
      </Title>
      <Listed list={sites} count={sites.records.length} empty="There are no sites that you may see.">
        <ul className="rows">
          {sites.records.map((shown) => (
            <li key={shown.record.id} data-record={`site ${shown.record.id}`}>
              <div>
                <Text fw={500}>{shown.record.name}</Text>
                {shown.record.gate && (
                  <Text size="sm" c="dimmed">
                    Gate: {shown.record.gate}
                  </Text>
                )}
              </div>
              <Change type="site" shown={shown} name={shown.record.name ?? 'this site'} quiet />
            </li>
          ))}
        </ul>
      </Listed>
    </section>
  )
}
