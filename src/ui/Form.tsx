import type { ReactNode } from 'react'
import { AllowInside, insideOf } from './AllowInside.tsx'
import { isAway, wordsOf } from './api.ts'
import { type Sending, useWaiting } from './sending.ts'

/** Why something could not be done, in words. Nothing where there is no reason. */
export function Problem({ error, className = '' }: { error: Error | null; className?: string }) {
  if (error === null) return null
  const inside = insideOf(error)
  return (
    <div role="alert" className={`text-red ${className}`}>
      {wordsOf(error)}
      {inside?.mayAllow === true && <AllowInside host={inside.host} />}
    </div>
  )
}

/**
 * Fields that are sent together, why that could not be done, and the button, which waits while they are on their way. Without a
 * connection they are kept as they are, and sent once it is back unless that is taken back.
 */
export function Form({
  sending,
  words,
  canSend = true,
  isMain = true,
  isSheet = false,
  error = sending.error,
  beside = <span />,
  label,
  isLook = false,
  children,
}: {
  /** What sends them, as `useMutation` makes it. */
  sending: Sending
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
  /** Only looks: what was filled in is not saved by it. */
  isLook?: boolean
  children: ReactNode
}) {
  const { isWaiting, takeBack, send } = useWaiting(sending, isLook)
  return (
    <form
      className={`grid gap-3.5 ${isSheet ? 'sheet px-4 py-4' : ''}`}
      aria-label={label}
      onSubmit={(event) => {
        event.preventDefault()
        if (!isWaiting) send()
      }}
    >
      <fieldset disabled={isWaiting} className="contents">
        {children}
      </fieldset>
      <Problem error={isWaiting || isAway(error) ? null : error} />
      {isWaiting && <Waiting onTakeBack={takeBack} />}
      {words !== null && (
        <div className="flex flex-wrap items-center justify-between gap-3">
          {beside}
          <button type="submit" className={`button ${isMain ? 'button-main' : ''}`} disabled={!canSend || sending.isPending || isWaiting}>
            {words}
          </button>
        </div>
      )}
    </form>
  )
}

/** What was asked for waits for the connection. */
export const Waiting = ({ onTakeBack }: { onTakeBack: () => void }) => (
  <div role="status" className="flex flex-wrap items-center gap-3 rounded-md border px-3 py-2">
    <p className="min-w-0 flex-1">Map Rope cannot be reached. This is kept as it is, and sent once it can be.</p>
    <button type="button" className="button" onClick={onTakeBack}>
      Take it back
    </button>
  </div>
)

/** A line before a form's button. */
export const Beside = ({ children }: { children: ReactNode }) => <p className="note min-w-0 flex-1">{children}</p>
