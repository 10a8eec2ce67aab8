// Lists of several people side by side, next to all records.
import { useVirtualizer } from '@tanstack/react-virtual'
import { type ReactNode, useEffect, useMemo, useRef, useState } from 'react'
import type { Look, Looking } from './address.js'
import type { Drawn, Listed, Shown } from './engine/types.js'
import { linesOf } from './rows.js'
import type { Rules } from './rules.js'

interface ListsProps {
  readonly shown: Shown
  readonly rules: Rules
  readonly looking: Looking
  readonly look: Look
}

const MOST = 6

export function Lists({ shown, rules, looking, look }: ListsProps) {
  const { drawn } = shown
  const known = looking.beside.filter((one) => one === 'system' || drawn.people.includes(one))
  const beside =
    known.length > 0 ? known : [...drawn.people.slice(0, 2), 'visitor', 'system'].filter((one, at, all) => all.indexOf(one) === at)
  const { search } = looking
  const keys = useMemo(() => {
    const { lines } = linesOf(shown, { search, differing: false, group: '' })
    return new Set(lines.map((at) => shown.drawn.keys[at as number]))
  }, [shown, search])
  const free = ['system', ...drawn.people].filter((one) => !beside.includes(one))
  return (
    <div className="lists">
      <p className="beside">
        {free.length > 0 && beside.length < MOST && (
          <label>
            Compare with{' '}
            <select value="" onChange={(event) => look({ beside: [...beside, event.currentTarget.value] })}>
              <option value="">Choose …</option>
              {free.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          </label>
        )}
        <span className="faint"> ▒ hidden: the field is absent, not empty.</span>
      </p>
      <div className="columns">
        {beside.map((person) => (
          <List
            key={person}
            {...{ drawn, rules, person, keys, looking }}
            open={(key) => person !== 'system' && look({ key, person, action: 'read', side: 'why' })}
            close={beside.length > 1 ? () => look({ beside: beside.filter((one) => one !== person) }) : undefined}
          />
        ))}
      </div>
    </div>
  )
}

function List({
  drawn,
  rules,
  person,
  keys,
  looking,
  open,
  close,
}: {
  readonly drawn: Drawn
  readonly rules: Rules
  readonly person: string
  readonly keys: ReadonlySet<unknown>
  readonly looking: Looking
  readonly open: (key: string) => void
  readonly close: (() => void) | undefined
}) {
  const [listed, setListed] = useState<Listed>()
  useEffect(() => {
    let gone = false
    rules.list(drawn.type, person).then((next) => !gone && setListed(next))
    return () => {
      gone = true
    }
  }, [rules, drawn, person])
  const rows = useMemo(() => listed?.rows.filter(({ key }) => keys.has(key)) ?? [], [listed, keys])
  const scroller = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => scroller.current, estimateSize: () => 74, overscan: 6 })
  const name = person === 'system' ? 'all records' : person
  return (
    <section className="list" aria-label={`List of ${name}`}>
      <h2>
        {name}{' '}
        <span className="faint">
          {listed === undefined ? '' : `${listed.rows.length} of ${listed.of}`}
          {rows.length !== (listed?.rows.length ?? 0) && `, ${rows.length} shown`}
        </span>
        {close && (
          <button type="button" aria-label={`Remove ${name}`} onClick={close}>
            ×
          </button>
        )}
      </h2>
      <div className="scroller" ref={scroller} tabIndex={0} role="region" aria-label={`Records of ${name}`}>
        {listed !== undefined && rows.length === 0 && <p className="faint">No records.</p>}
        <ul style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map(({ index, start, key: at }) => {
            const row = rows[index]
            if (row === undefined || listed === undefined) return null
            const isOpen = String(row.key) === looking.key && person === looking.person
            return (
              <li key={at} data-index={index} ref={virtual.measureElement} style={{ transform: `translateY(${start}px)` }}>
                <button
                  type="button"
                  className={isOpen ? 'record chosen' : 'record'}
                  onClick={() => open(String(row.key))}
                  disabled={person === 'system'}
                >
                  <strong>{String(row.key)}</strong>
                  <span className="values">
                    {listed.fields
                      .filter((field) => String(row.values[field] ?? '') !== String(row.key))
                      .map((field) => (
                        <span key={field} className={row.hidden.includes(field) ? 'hidden' : ''}>
                          <span className="faint">{field}</span> {row.hidden.includes(field) ? <HiddenValue /> : textOf(row.values[field])}
                        </span>
                      ))}
                  </span>
                </button>
              </li>
            )
          })}
        </ul>
      </div>
    </section>
  )
}

function HiddenValue() {
  return (
    <>
      <span aria-hidden="true">▒▒</span>
      <span className="unseen">hidden</span>
    </>
  )
}

function textOf(value: unknown): ReactNode {
  if (value === undefined || value === null || value === '')
    return <span className="faint">{value === undefined ? 'missing' : value === null ? 'null' : 'empty'}</span>
  if (Array.isArray(value)) return value.length === 0 ? <span className="faint">none</span> : value.map(String).join(', ')
  if (typeof value === 'object') return JSON.stringify(value)
  return String(value).replace(/T00:00:00\.000Z$/, '')
}
