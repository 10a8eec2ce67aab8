import type { ReactNode } from 'react'

/** A full-page message. */
export function Notice({
  title,
  isError = false,
  children,
}: {
  readonly title: string
  readonly isError?: boolean
  readonly children: ReactNode
}) {
  return (
    <main className="notice" role={isError ? 'alert' : 'status'}>
      <h1>{title}</h1>
      <p>{children}</p>
    </main>
  )
}
