import { Text } from '@mantine/core'
import { useEffect, useState } from 'react'
import { useApi } from '../api.js'
import type { Used } from '../parts/verdicts.js'

interface Line {
  readonly depth: number
  readonly holds: boolean
  readonly text: string
  readonly values?: string
}

interface Told {
  readonly decidedBy?: string
  readonly withheld?: readonly { readonly kind: string; readonly title: string; readonly lines: readonly Line[] }[]
  readonly clause?: { readonly title: string; readonly holds: boolean; readonly lines: readonly Line[] }
  readonly others?: readonly { readonly title: string; readonly holds: boolean }[]
  readonly lines?: readonly Line[]
}

/** The clause that decided, part by part, with the compared values. */
export function Why({ of: { action, type, key, record, allowed } }: { readonly of: Used }) {
  const { headers } = useApi()
  const [told, setTold] = useState<Told>()
  const [failed, setFailed] = useState(false)
  const question = JSON.stringify({ action, type, key, record })
  useEffect(() => {
    let gone = false
    fetch('/developer/why', { method: 'POST', headers: { ...headers(), 'content-type': 'application/json' }, body: question })
      .then((response) => (response.ok ? response.json() : Promise.reject(new Error(String(response.status)))))
      .then(
        (answer) => !gone && setTold(answer),
        () => !gone && setFailed(true),
      )
    return () => {
      gone = true
    }
  }, [headers, question])
  if (failed) return <Text size="sm">The server gives no reason.</Text>
  if (told === undefined) return <Text size="sm">Loading …</Text>
  const { decidedBy, withheld = [], clause, others = [], lines } = told
  return (
    <div className="why">
      {lines && <Lines lines={lines} />}
      {decidedBy !== undefined && decidedBy !== action && (
        <Text size="xs">
          To {action} a record, a person has to be allowed to {decidedBy} it. The {decidedBy} clauses decide here.
        </Text>
      )}
      {withheld.map((one) => (
        <section key={one.title}>
          <Text size="xs" fw={600}>
            {one.kind === 'gate' ? 'Refused by a gate that does not hold' : 'Refused by a veto'}
          </Text>
          <Lines lines={one.lines} />
        </section>
      ))}
      {clause !== undefined && (
        <section>
          <Text size="xs" fw={600}>
            {allowed ? 'Allowed by this clause' : clause.holds ? 'This clause would allow it' : 'Nearest clause'}
          </Text>
          <Lines lines={clause.lines} />
        </section>
      )}
      {others.length > 0 && (
        <section>
          <Text size="xs" fw={600}>
            Other clauses
          </Text>
          <Lines lines={others.map(({ title, holds }) => ({ depth: 0, holds, text: title }))} />
        </section>
      )}
      {decidedBy !== undefined && clause === undefined && <Text size="xs">No clause allows anyone to {decidedBy} such a record.</Text>}
    </div>
  )
}

function Lines({ lines }: { readonly lines: readonly Line[] }) {
  return (
    <ul>
      {lines.map(({ depth, holds, text, values }, at) => (
        <li key={at} style={{ paddingInlineStart: `${depth * 0.9}rem` }}>
          <span className={holds ? 'yes' : 'no'}>{holds ? 'holds' : 'fails'}</span> {text}{' '}
          {values && <span className="values">[{values}]</span>}
        </li>
      ))}
    </ul>
  )
}
