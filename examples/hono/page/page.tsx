import { actingBar, type LiveRecord, rulesClient } from 'pachter/client'
import { RulesProvider, useLiveList, useRouteAccess, useRules, useVerdict } from 'pachter/react'
import { type FormEvent, useEffect, useMemo, useState } from 'react'
import { createRoot } from 'react-dom/client'

interface Plot {
  readonly id: string
  readonly number: number
  readonly siteId: string
  readonly state: string
  readonly planting?: string | null
  readonly rentDue?: number
}

type Headers = () => Record<string, string>

function App() {
  const [names, setNames] = useState<readonly string[]>([])
  const [who, setWho] = useState('')
  const [token, setToken] = useState<string>()
  useEffect(() => {
    fetch('/people').then(async (response) => setNames(await response.json()))
  }, [])
  const choose = async (name: string) => {
    const { token } = name === '' ? { token: undefined } : await (await fetch(`/sign-in/${name}`, { method: 'POST' })).json()
    setWho(name)
    setToken(token)
  }
  const headers = useMemo<Headers>(() => () => (token === undefined ? {} : { authorization: `Bearer ${token}` }), [token])
  const rules = useMemo(() => rulesClient({ url: '/api/my-rules', headers }), [headers])
  return (
    <RulesProvider rules={rules} key={token ?? ''}>
      <header>
        <h1>Marsh Lane Allotments</h1>
        <label>
          You are
          <select value={who} onChange={(event) => choose(event.target.value)}>
            <Nobody />
            {names.map((name) => (
              <option key={name} value={name}>
                {name.replace(/^./, (first) => first.toUpperCase())}
              </option>
            ))}
          </select>
        </label>
      </header>
      <main>
        <Plots headers={headers} />
        <Ledger />
      </main>
    </RulesProvider>
  )
}

/** During development, the person may have been chosen in the bar below. */
function Nobody() {
  const { view } = useRules()
  return <option value="">{view.act?.sub === undefined ? 'a visitor' : 'chosen below'}</option>
}

const STATES = {
  loading: 'Loading …',
  live: 'Up to date.',
  lost: 'Connection lost. This list may be out of date. Reconnecting …',
}

function Plots({ headers }: { readonly headers: Headers }) {
  const { records, state, message } = useLiveList('/api/plot?may=delete', { headers })
  const [said, setSaid] = useState('')
  const ask = async (plot: Plot, method: string, body?: object) => {
    const response = await fetch(`/api/plot/${plot.id}`, {
      method,
      headers: { ...headers(), 'content-type': 'application/merge-patch+json' },
      ...(body ? { body: JSON.stringify(body) } : {}),
    })
    setSaid(response.ok ? '' : (await response.json()).detail)
  }
  const plots = records.map((one) => ({ plot: one.record as unknown as Plot, may: one.may as LiveRecord }))
  plots.sort((a, b) => a.plot.number - b.plot.number)
  return (
    <>
      <p className="status" role="status">
        {message ?? STATES[state as 'live']} {state === 'live' && `${plots.length} ${plots.length === 1 ? 'plot' : 'plots'}.`}
      </p>
      <p className="said" role="alert">
        {said}
      </p>
      {state === 'live' && plots.length === 0 && <p>There are no plots that you may see.</p>}
      <ul>
        {plots.map(({ plot, may }) => (
          <PlotCard key={plot.id} plot={plot} mayDelete={(may.delete as { allowed: boolean }).allowed} ask={ask} />
        ))}
      </ul>
    </>
  )
}

/** What may be done to a record is decided by the rules in the page. For deleting, the list contains the server's answer. */
function PlotCard(props: { plot: Plot; mayDelete: boolean; ask: (plot: Plot, method: string, body?: object) => Promise<void> }) {
  const { plot, mayDelete, ask } = props
  const update = useVerdict('update', 'plot', plot)
  const fields = update.fields ?? []
  const plant = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault()
    void ask(plot, 'PATCH', { planting: new FormData(event.currentTarget).get('planting') })
  }
  return (
    <li>
      <h2>
        Plot {plot.number} <span className="state">{plot.state}</span>
      </h2>
      <dl>
        {'planting' in plot && (
          <>
            <dt>grows</dt>
            <dd>{plot.planting || 'nothing yet'}</dd>
          </>
        )}
        {plot.rentDue !== undefined && (
          <>
            <dt>rent due</dt>
            <dd>{plot.rentDue.toFixed(2)}</dd>
          </>
        )}
      </dl>
      <div className="doing">
        {(fields.includes('planting') || (update.allowed && update.fields === undefined)) && (
          <form onSubmit={plant}>
            <input
              name="planting"
              aria-label={`What grows on plot ${plot.number}`}
              defaultValue={plot.planting ?? ''}
              key={plot.planting}
            />
            <button type="submit">Plant</button>
          </form>
        )}
        {mayDelete && (
          <button type="button" className="removes" onClick={() => ask(plot, 'DELETE')}>
            Delete plot {plot.number}
          </button>
        )}
      </div>
    </li>
  )
}

/** A part of the page that needs the privilege. */
function Ledger() {
  const access = useRouteAccess({ privilege: 'openLedger' })
  const { view } = useRules()
  if (access === undefined || view.me === null) return null
  return access.allowed ? <p>You may open the rent ledger.</p> : null
}

// Shown during development, and whenever a person acts as another one.
actingBar({ url: '/api/my-rules' })

createRoot(document.getElementById('page') as HTMLElement).render(<App />)
