// A button that opens the form of a new record, if the rules allow the person to create one.
import { Modal } from '@mantine/core'
import { useServerVerdict } from 'pachter/react'
import { useState } from 'react'
import { useApi } from '../api.js'
import { type TypeName, useEver } from '../records.js'
import { tell } from './dialogs.js'
import { BLANK } from './fields.js'
import { CreateOffer } from './offer.js'
import { RecordForm } from './record-form.js'

interface NewRecordProps {
  readonly type: TypeName
  readonly label: string
  readonly submit: string
  /** A draft record about which the rules are asked. */
  readonly sample: object
  readonly initial?: object
  /** The fields of the form, among those that may be sent. */
  readonly fields?: readonly string[]
  readonly since?: readonly unknown[]
  readonly done?: (record: { readonly id: string }) => void
}

export function NewRecord(props: NewRecordProps) {
  // If they may never create one, the rules are not asked further.
  return useEver('create', props.type) ? <Asked {...props} /> : null
}

function Asked({ type, label, submit, sample, initial = {}, fields, since = [], done }: NewRecordProps) {
  const { send } = useApi()
  const [open, setOpen] = useState(false)
  const verdict = useServerVerdict('create', type, sample, { since })
  const letBy = fields?.filter((name) => verdict.fields?.includes(name) ?? true) ?? verdict.fields
  const begin = Object.fromEntries(
    Object.entries({ ...BLANK[type], ...initial }).filter(([name]) => verdict.fields?.includes(name) ?? true),
  )
  return (
    <>
      <CreateOffer type={type} verdict={verdict} record={sample} use={() => setOpen(true)} look={{ size: 'sm' }}>
        {label}
      </CreateOffer>
      <Modal opened={open} onClose={() => setOpen(false)} title={label}>
        <RecordForm
          type={type}
          fields={letBy}
          initial={begin}
          isNew
          submit={submit}
          send={async (values) => {
            const record = await send('POST', `/api/${type}`, values)
            setOpen(false)
            tell('Added.')
            done?.(record)
          }}
          cancel={() => setOpen(false)}
        />
      </Modal>
    </>
  )
}
