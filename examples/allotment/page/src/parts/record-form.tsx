// A form for a record: the fields that the rules allow the person to send, and the server's messages about them.
import { Alert, Button, Group, MultiSelect, NumberInput, Select, Stack, Switch, TagsInput, Textarea, TextInput } from '@mantine/core'
import { type FormEvent, useId, useState } from 'react'
import { type Problem, ProblemError } from '../api.js'
import type { TypeName } from '../records.js'
import { beginningOf, dayOf, endOf, FIELDS, type FieldLook } from './fields.js'
import { useNames } from './names.js'
import { useSending } from './sending.js'

type Values = { readonly [field: string]: any }

export interface RecordFormProps {
  readonly type: TypeName
  /** The fields that may be sent; undefined for all of them. */
  readonly fields?: readonly string[] | undefined
  readonly initial: object
  readonly submit: string
  /** Sends what was changed; for a new record, all of it. */
  readonly send: (values: Values) => Promise<unknown>
  readonly isNew?: boolean
  readonly done?: () => void
  readonly cancel?: () => void
}

export function RecordForm({ type, fields, initial, submit, send, isNew = false, done, cancel }: RecordFormProps) {
  const before = initial as Values
  const [values, setValues] = useState<Values>(before)
  const [problem, setProblem] = useState<Problem>()
  const [busy, once] = useSending()
  const shown = Object.entries(FIELDS[type]).filter(([name]) => fields === undefined || fields.includes(name))
  const set = (name: string, value: unknown) => setValues((old) => ({ ...old, [name]: value }))
  const errorOf = (name: string) =>
    problem?.faults?.find(({ field }) => field === name || field.startsWith(`${name}.`))?.problem ??
    (problem?.fields?.includes(name) ? 'You may not send this.' : undefined)

  const submitted = (event: FormEvent) => {
    event.preventDefault()
    return once(async () => {
      setProblem(undefined)
      try {
        await send(isNew ? complete(values) : changed(before, values))
        done?.()
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error
        setProblem(error.problem)
      }
    })
  }
  const elsewhere = problem !== undefined && !shown.some(([name]) => errorOf(name) !== undefined)
  return (
    <form onSubmit={submitted} noValidate>
      <Stack gap="sm">
        {elsewhere && (
          <Alert color="red" role="alert" title={problem.title}>
            {problem.detail}
          </Alert>
        )}
        {shown.map(([name, look]) => (
          <FieldInput key={name} look={look} value={values[name]} error={errorOf(name)} set={(value) => set(name, value)} />
        ))}
        <Group justify="flex-end">
          {cancel && (
            <Button variant="default" onClick={cancel}>
              Cancel
            </Button>
          )}
          <Button type="submit" loading={busy}>
            {submit}
          </Button>
        </Group>
      </Stack>
    </form>
  )
}

const isEmpty = (value: unknown) => value === undefined || value === null || value === ''

/** All that was filled in. */
function complete(values: Values): Values {
  return Object.fromEntries(Object.entries(values).filter(([, value]) => value !== undefined))
}

/** The changed fields: null for a cleared one. */
function changed(before: Values, values: Values): Values {
  return Object.fromEntries(
    Object.entries(values)
      .filter(([name, value]) => JSON.stringify(value ?? null) !== JSON.stringify(before[name] ?? null))
      .map(([name, value]) => [name, value ?? null]),
  )
}

interface InputProps {
  readonly look: FieldLook
  readonly value: any
  readonly error: string | undefined
  readonly set: (value: unknown) => void
}

function FieldInput({ look, value, error, set }: InputProps) {
  const names = useNames()
  const id = useId()
  const { label, kind, help, optional, nullable } = look
  const common = { id, label, error, ...(help ? { description: help } : {}) }
  // What may be left empty is left out or cleared, and never sent as an empty text.
  const text = (typed: string) => set(optional && typed === '' ? undefined : typed)
  const choose = (options: readonly (string | { readonly value: string; readonly label: string })[]) => (
    <Select
      {...common}
      data={options as never}
      value={value ?? null}
      onChange={(chosen) => set(chosen ?? (nullable ? null : undefined))}
      clearable={optional === true || nullable === true}
      searchable={options.length > 4}
      allowDeselect={false}
      nothingFoundMessage="No match that you may see."
    />
  )
  const chooseSome = (options: readonly (string | { readonly value: string; readonly label: string })[]) => {
    // What is chosen already and not seen stays chosen.
    const unseen = ((value ?? []) as string[]).filter(
      (one) => !options.some((option) => (typeof option === 'string' ? option : option.value) === one),
    )
    const data = [...options, ...unseen.map((one) => ({ value: one, label: 'a member that you cannot see' }))]
    return <MultiSelect {...common} data={data as never} value={value ?? []} onChange={set} searchable hidePickedOptions />
  }
  switch (kind) {
    case 'text':
      return <TextInput {...common} value={value ?? ''} onChange={(event) => text(event.currentTarget.value)} />
    case 'long':
      return <Textarea {...common} value={value ?? ''} onChange={(event) => text(event.currentTarget.value)} autosize minRows={2} />
    case 'whole':
    case 'money':
      return (
        <NumberInput
          {...common}
          value={value ?? ''}
          onChange={(typed) => set(typed === '' ? undefined : Number(typed))}
          {...(kind === 'money' ? { decimalScale: 2, prefix: '£' } : { allowDecimal: false })}
        />
      )
    case 'day':
      return (
        <TextInput
          {...common}
          type="date"
          value={dayOf(value)}
          onChange={(event) =>
            set(isEmpty(event.currentTarget.value) ? undefined : (look.from ? beginningOf : endOf)(event.currentTarget.value))
          }
        />
      )
    case 'yes':
      return <Switch {...common} checked={value === true} onChange={(event) => set(event.currentTarget.checked)} />
    case 'one of':
      return choose(look.of ?? [])
    case 'some of':
      return chooseSome(look.of ?? [])
    case 'member':
      return choose(names.members)
    case 'members':
      return chooseSome(names.members)
    case 'site':
      return choose(names.sites)
    case 'sites':
      return chooseSome(names.sites)
    case 'plot':
      return choose(names.plots)
    case 'team':
      return choose(names.teams)
    case 'emails':
      return <TagsInput {...common} value={value ?? []} onChange={set} />
  }
}
