import type { ReactNode } from 'react'
import { wordsOf } from './api.ts'

/** Why something could not be done, in words. Nothing where there is no reason. */
export function Problem({ error, className = '' }: { error: Error | null; className?: string }) {
  if (error === null) return null
  return (
    <p role="alert" className={`text-red ${className}`}>
      {wordsOf(error)}
    </p>
  )
}

/** Fields that are sent together, why that could not be done, and the button, which waits while they are on their way. */
export function Form({
  sending,
  words,
  canSend = true,
  isMain = true,
  isSheet = false,
  error = sending.error,
  beside = <span />,
  label,
  children,
}: {
  /** What sends them, as `useMutation` makes it. */
  sending: { readonly mutate: () => void; readonly error: Error | null; readonly isPending: boolean }
  /** On the button; null where nothing can be sent. */
  words: string | null
  canSend?: boolean
  isMain?: boolean
  /** Stands on a sheet of its own. */
  isSheet?: boolean
  /** Where more can go wrong than sending. */
  error?: Error | null
  /** Stands before the button: a note, or another button. */
  beside?: ReactNode
  /** Spoken, where no heading names the form. */
  label?: string
  children: ReactNode
}) {
  return (
    <form
      className={`grid gap-3.5 ${isSheet ? 'sheet px-4 py-4' : ''}`}
      aria-label={label}
      onSubmit={(event) => {
        event.preventDefault()
        sending.mutate()
      }}
    >
      {children}
      <Problem error={error} />
      {words !== null && (
        <div className="flex flex-wrap items-center justify-between gap-3">
          {beside}
          <button type="submit" className={`button ${isMain ? 'button-main' : ''}`} disabled={!canSend || sending.isPending}>
            {words}
          </button>
        </div>
      )}
    </form>
  )
}

/** A line before a form's button. */
export const Beside = ({ children }: { children: ReactNode }) => <p className="note min-w-0 flex-1">{children}</p>
