// Hiding a button protects nothing. This sends the request that the page would not send, and compares the record before and after.
import { Alert, Button, Code, Text } from '@mantine/core'
import { useState } from 'react'
import { useApi } from '../api.js'
import { FIELDS } from '../parts/fields.js'
import type { Used } from '../parts/verdicts.js'
import type { TypeName } from '../records.js'

interface Outcome {
  readonly request: string
  readonly status: number
  readonly answer: unknown
  /** The stored record or, for a new one, the number of records: before and after. */
  readonly before: unknown
  readonly after: unknown
}

/** A request that would do what was refused. */
function requestFor({ action, type, key, record }: Used): { method: string; path: string; body?: object } {
  if (action === 'create') return { method: 'POST', path: `/api/${type}`, body: record as object }
  if (action === 'delete') return { method: 'DELETE', path: `/api/${type}/${key}` }
  if (action === 'update') return { method: 'PATCH', path: `/api/${type}/${key}`, body: { [textOf(type)]: 'sent anyway' } }
  return { method: 'POST', path: `/api/${type}/${key}/${action}` }
}

const textOf = (type: TypeName) => Object.entries(FIELDS[type]).find(([, { kind }]) => kind === 'text' || kind === 'long')?.[0] ?? 'amount'

export function SendAnyway({ what }: { readonly what: Used }) {
  const { headers } = useApi()
  const [outcome, setOutcome] = useState<Outcome>()
  const [busy, setBusy] = useState(false)
  const { method, path, body } = requestFor(what)
  const stored = async () => {
    const about = JSON.stringify({ type: what.type, key: what.key })
    const response = await fetch('/developer/record', { method: 'POST', headers: { 'content-type': 'application/json' }, body: about })
    const { record, count } = await response.json()
    return what.action === 'create' ? { count } : record
  }
  const send = async () => {
    setBusy(true)
    try {
      const before = await stored()
      const type = method === 'PATCH' ? 'application/merge-patch+json' : 'application/json'
      const response = await fetch(path, {
        method,
        headers: { ...headers(), ...(body ? { 'content-type': type } : {}) },
        ...(body ? { body: JSON.stringify(body) } : {}),
      })
      const answer = response.status === 204 ? 'done, without a body' : await response.json()
      setOutcome({ request: `${method} ${path}`, status: response.status, answer, before, after: await stored() })
    } finally {
      setBusy(false)
    }
  }
  const untouched = outcome !== undefined && JSON.stringify(outcome.before) === JSON.stringify(outcome.after)
  return (
    <div className="anyway">
      <Code block tabIndex={0}>{`${method} ${path}${body ? `\n${JSON.stringify(body)}` : ''}`}</Code>
      <Button size="compact-sm" color="red" variant="light" loading={busy} onClick={send} my={6}>
        Send request
      </Button>
      {outcome && (
        <div role="status">
          <Text size="sm">
            Response <strong>{outcome.status}</strong>:
          </Text>
          <Code block tabIndex={0}>
            {JSON.stringify(outcome.answer, null, 2)}
          </Code>
          <Alert mt={6} color={untouched ? 'leaf' : 'red'} title={untouched ? 'Nothing has changed' : 'SOMETHING HAS CHANGED'}>
            {what.action === 'create' ? 'Number of records, read by the system:' : 'The stored record, read by the system:'}
            <Code block tabIndex={0} mt={4}>
              {JSON.stringify(outcome.after, null, 2)}
            </Code>
          </Alert>
        </div>
      )}
    </div>
  )
}
