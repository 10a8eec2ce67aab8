// A button for an action: absent if the rules never allow it, and disabled with the reason if they do not allow it now.
import { Button, type ButtonProps, Tooltip, VisuallyHidden } from '@mantine/core'
import { useRules } from 'pachter/react'
import { type ReactNode, useId } from 'react'
import { type Shown, type TypeName, verdictFor } from '../records.js'
import { useNoted } from './verdicts.js'

interface OfferProps {
  readonly action: string
  readonly type: TypeName
  readonly children: ReactNode
  readonly use: () => void
  readonly look?: Omit<ButtonProps, 'children'>
  /** Tells those apart who hear it read out: "Edit" of which? */
  readonly of?: string
}

/** Something to be done to a record of a list. `quiet`: not there where it is refused. */
export function Offer({ shown, quiet = false, ...offer }: OfferProps & { readonly shown: Shown; readonly quiet?: boolean }) {
  const { view } = useRules()
  const { allowed, fields, message } = verdictFor(view, offer.action, offer.type, shown)
  useNoted({ action: offer.action, type: offer.type, key: shown.record.id, allowed, fields, message })
  const isNever = view.may(offer.action, offer.type) === 'never'
  if (!allowed && (quiet || isNever)) return null
  return (
    <OfferButton
      {...offer}
      refused={allowed ? undefined : (message ?? '')}
      mark={`${offer.action} ${offer.type} ${shown.record.id}`}
      fields={fields}
    />
  )
}

/** A new record in the form that a verdict needs. */
export function CreateOffer({
  verdict: { allowed, message, fields },
  record,
  ...offer
}: Omit<OfferProps, 'action'> & {
  readonly verdict: { readonly allowed: boolean; readonly message?: string; readonly fields?: readonly string[] }
  /** What was asked about. */
  readonly record: object
}) {
  useNoted({ action: 'create', type: offer.type, record, allowed, message, fields })
  return allowed ? <OfferButton {...offer} action="create" refused={undefined} mark={`create ${offer.type}`} fields={fields} /> : null
}

function OfferButton({
  children,
  use,
  look = {},
  of,
  refused,
  mark,
  fields,
}: OfferProps & { readonly refused: string | undefined; readonly mark: string; readonly fields?: readonly string[] | undefined }) {
  const id = useId()
  const label = of === undefined ? {} : { 'aria-label': `${children} ${of}` }
  if (refused === undefined)
    return (
      <Button size="xs" variant="light" {...look} {...label} onClick={use} data-offers={mark} data-fields={fields?.join(' ')}>
        {children}
      </Button>
    )
  // It can be focused, so that screen readers read the reason.
  return (
    <Tooltip label={refused} events={{ hover: true, focus: true, touch: true }} multiline maw={320}>
      <Button
        size="xs"
        variant="light"
        {...look}
        {...label}
        data-disabled
        aria-disabled
        aria-describedby={id}
        data-withholds={mark}
        onClick={(event) => event.preventDefault()}
      >
        {children}
        <VisuallyHidden id={id}>{refused}</VisuallyHidden>
      </Button>
    </Tooltip>
  )
}
