// Forms in a dialog, and the question before something is gone.
import { Alert, Button, Group, Modal, Stack, Text } from '@mantine/core'
import { notifications } from '@mantine/notifications'
import { type ReactNode, useState } from 'react'
import { ProblemError, useApi } from '../api.js'
import type { Shown, TypeName } from '../records.js'
import { Offer } from './offer.js'
import { RecordForm } from './record-form.js'
import { useSending } from './sending.js'

/** Tells what was done. */
export function tell(message: string): void {
  notifications.show({ message, color: 'leaf', withBorder: true })
}

/** Tells what was not. */
export function tellProblem(error: unknown): void {
  if (!(error instanceof ProblemError)) throw error
  const { title, detail } = error.problem
  notifications.show({ title, message: detail ?? '', color: 'red', withBorder: true, autoClose: 8000 })
}

interface ChangeProps {
  readonly type: TypeName
  readonly shown: Shown
  /** What it is called, within a sentence: `plot 4`. */
  readonly name: string
  readonly quiet?: boolean
  readonly label?: string
}

/** A button that opens a form with the fields that the person may change. */
export function Change({ type, shown, name, quiet = false, label = 'Edit' }: ChangeProps) {
  const { send } = useApi()
  const [open, setOpen] = useState(false)
  const { record, may } = shown
  const close = () => setOpen(false)
  return (
    <>
      <Offer action="update" type={type} shown={shown} quiet={quiet} use={() => setOpen(true)} of={name}>
        {label}
      </Offer>
      <Modal opened={open} onClose={close} title={`${label} ${name}`}>
        <RecordForm
          type={type}
          fields={may.update?.fields}
          initial={record}
          submit="Save"
          send={(changes) => (Object.keys(changes).length === 0 ? Promise.resolve() : send('PATCH', `/api/${type}/${record.id}`, changes))}
          done={() => {
            close()
            tell(`Saved: ${name}.`)
          }}
          cancel={close}
        />
      </Modal>
    </>
  )
}

/** A button that asks before it removes a record, by name. */
export function Remove({
  type,
  shown,
  name,
  quiet = false,
  label = 'Delete',
  along,
  gone,
}: ChangeProps & { readonly along?: ReactNode; readonly gone?: () => void }) {
  const { send } = useApi()
  const [open, setOpen] = useState(false)
  const [problem, setProblem] = useState<ProblemError['problem']>()
  const [busy, once] = useSending()
  const close = () => {
    setOpen(false)
    setProblem(undefined)
  }
  const remove = () =>
    once(async () => {
      try {
        await send('DELETE', `/api/${type}/${shown.record.id}`)
        close()
        tell(`Deleted: ${name}.`)
        gone?.()
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error
        setProblem(error.problem)
      }
    })
  return (
    <>
      <Offer
        action="delete"
        type={type}
        shown={shown}
        quiet={quiet}
        use={() => setOpen(true)}
        look={{ color: 'red', variant: 'subtle' }}
        of={name}
      >
        {label}
      </Offer>
      <Modal opened={open} onClose={close} title={`${label} ${name}?`}>
        <Stack gap="sm">
          {problem && (
            <Alert color="red" role="alert" title={problem.title}>
              {problem.detail}
            </Alert>
          )}
          <Text>{along ?? 'This cannot be undone.'}</Text>
          <Group justify="flex-end">
            <Button variant="default" onClick={close} data-autofocus>
              Cancel
            </Button>
            <Button color="red" loading={busy} onClick={remove}>
              {label} {name}
            </Button>
          </Group>
        </Stack>
      </Modal>
    </>
  )
}
