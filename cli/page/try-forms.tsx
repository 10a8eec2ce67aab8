// Forms for a trial: a record, or a person's claims.
import { type FormEvent, type ReactNode, useEffect, useRef, useState } from 'react'
import type { FormField, PeopleFound } from './engine/types.js'
import type { Rules } from './rules.js'

/** A form in a dialog. */
function Dialog({
  title,
  submit,
  problem,
  close,
  children,
}: {
  readonly title: string
  readonly submit: () => void
  readonly problem: string | undefined
  readonly close: () => void
  readonly children: ReactNode
}) {
  const dialog = useRef<HTMLDialogElement>(null)
  useEffect(() => dialog.current?.showModal(), [])
  const submitted = (event: FormEvent) => {
    event.preventDefault()
    submit()
  }
  return (
    <dialog ref={dialog} onClose={close} aria-labelledby="dialog-title">
      <form onSubmit={submitted}>
        <h2 id="dialog-title">{title}</h2>
        {children}
        {problem !== undefined && (
          <p role="alert" className="no">
            {problem}
          </p>
        )}
        <div className="buttons">
          <button type="button" onClick={close}>
            Cancel
          </button>
          <button type="submit" className="main">
            Try it
          </button>
        </div>
      </form>
    </dialog>
  )
}

/** The form of an existing or a new record. */
export function RecordForm({
  rules,
  type,
  recordKey,
  done,
  close,
}: {
  readonly rules: Rules
  readonly type: string
  readonly recordKey: string | number | undefined
  readonly done: (record: { readonly [field: string]: unknown }) => void
  readonly close: () => void
}) {
  const [fields, setFields] = useState<readonly FormField[]>()
  const [problem, setProblem] = useState<string>()
  useEffect(() => {
    let gone = false
    rules.form(type, recordKey).then((found) => !gone && setFields(found))
    return () => {
      gone = true
    }
  }, [rules, type, recordKey])
  const set = (name: string, changes: Partial<FormField>) =>
    setFields((old) => old?.map((one) => (one.name === name ? { ...one, ...changes } : one)))
  const submit = () => {
    const texts = Object.fromEntries((fields ?? []).map(({ name, text, isMissing }) => [name, isMissing ? undefined : text]))
    rules.record(type, texts).then(done, (error: Error) => setProblem(error.message))
  }
  if (fields === undefined) return null
  return (
    <Dialog
      title={recordKey === undefined ? `Add record: ${type}` : `Edit ${type} ${recordKey}`}
      submit={submit}
      problem={problem}
      close={close}
    >
      <p className="faint">This is a trial. Nothing is written. Separate the values of a list by commas; write null for null.</p>
      {fields.map(({ name, text, isMissing, field }) => (
        <div key={name} className="field">
          <label htmlFor={`field-${name}`}>{name}</label>
          {field.values !== undefined && !field.list ? (
            <select
              id={`field-${name}`}
              value={isMissing ? '' : text}
              onChange={(event) => set(name, { text: event.currentTarget.value, isMissing: false })}
            >
              {isMissing && <option value="">missing</option>}
              {field.values.map((value) => (
                <option key={String(value)}>{String(value)}</option>
              ))}
            </select>
          ) : (
            <input
              id={`field-${name}`}
              value={isMissing ? '' : text}
              placeholder={isMissing ? 'missing' : ''}
              onChange={(event) => set(name, { text: event.currentTarget.value, isMissing: false })}
            />
          )}
          {field.optional && (
            <label className="missing">
              <input type="checkbox" checked={isMissing} onChange={(event) => set(name, { isMissing: event.currentTarget.checked })} />{' '}
              missing
            </label>
          )}
        </div>
      ))}
    </Dialog>
  )
}

/** The form of the claims of an existing or a new person. */
export function ClaimsForm({
  rules,
  person,
  people,
  everyone,
  done,
  close,
}: {
  readonly rules: Rules
  readonly person: string | undefined
  readonly people: readonly string[]
  /** The record type of all people. */
  readonly everyone: string | undefined
  readonly done: (name: string, claims: { readonly [claim: string]: unknown }) => void
  readonly close: () => void
}) {
  const [name, setName] = useState(person ?? '')
  const [text, setText] = useState('')
  const [problem, setProblem] = useState<string>()
  useEffect(() => {
    let gone = false
    rules.claims(person ?? 'unknown').then((found) => !gone && setText(found))
    return () => {
      gone = true
    }
  }, [rules, person])
  const submit = () => {
    if (!/^[\w-]+$/.test(name) || ['visitor', 'system'].includes(name))
      return setProblem('Use letters, digits, - and _ in the name. The names visitor and system are reserved.')
    if (person === undefined && people.includes(name)) return setProblem(`A person named ${name} exists already.`)
    try {
      const claims = JSON.parse(text) as unknown
      if (typeof claims !== 'object' || claims === null || Array.isArray(claims)) throw new Error('an object is expected')
      done(name, claims as { [claim: string]: unknown })
    } catch (error) {
      setProblem(`The claims are not valid JSON: ${error instanceof Error ? error.message : error}`)
    }
  }
  return (
    <Dialog title={person === undefined ? 'Add person' : `Change claims: ${person}`} submit={submit} problem={problem} close={close}>
      {person === undefined && everyone !== undefined && (
        <PeopleSearch
          rules={rules}
          type={everyone}
          choose={(key, claims) => {
            setName(key.replace(/[^\w-]/g, '-'))
            setText(JSON.stringify(claims, null, 1))
          }}
        />
      )}
      {person === undefined && (
        <div className="field">
          <label htmlFor="person-name">name</label>
          <input id="person-name" value={name} onChange={(event) => setName(event.currentTarget.value)} />
        </div>
      )}
      <div className="field">
        <label htmlFor="person-claims">claims, as JSON</label>
        <textarea id="person-claims" rows={8} value={text} spellCheck={false} onChange={(event) => setText(event.currentTarget.value)} />
      </div>
    </Dialog>
  )
}

/** Finds people in all records of their type. */
function PeopleSearch({
  rules,
  type,
  choose,
}: {
  readonly rules: Rules
  readonly type: string
  readonly choose: (key: string, claims: object) => void
}) {
  const [text, setText] = useState('')
  const [found, setFound] = useState<PeopleFound>()
  useEffect(() => {
    let gone = false
    rules.peopleWith(text).then((next) => !gone && setFound(next))
    return () => {
      gone = true
    }
  }, [rules, text])
  return (
    <div className="people-search">
      <div className="field">
        <label htmlFor="person-search">search every {type}</label>
        <input id="person-search" type="search" value={text} onChange={(event) => setText(event.currentTarget.value)} />
      </div>
      <ul aria-label={`Every ${type} with this text`}>
        {found?.first.map(({ key, label, claims }) => (
          <li key={key}>
            <button type="button" className="plain" onClick={() => choose(key, claims)}>
              {key} <span className="faint">{label}</span>
            </button>
          </li>
        ))}
      </ul>
      <p role="status" className="faint">
        {found === undefined ? 'Loading …' : found.count === 0 ? `No ${type} has this text.` : moreOf(found)}
      </p>
    </div>
  )
}

const moreOf = ({ count, first }: PeopleFound) =>
  count > first.length ? `${first.length} of ${count.toLocaleString('en')} are shown.` : `${count} in all.`
