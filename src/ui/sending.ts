import { createContext, useCallback, useContext, useEffect, useRef, useState } from 'react'
import { isAway } from './api.ts'

/** What sends something, as `useMutation` makes it. */
export interface Sending {
  readonly mutate: () => void
  readonly error: Error | null
  readonly isPending: boolean
  readonly reset?: () => void
}

/** What a window over the screen hears of the form in it. */
export interface FilledIn {
  /** What was filled in has arrived. */
  saved: () => void
  /** Something waits for the connection: Escape takes it back; null where nothing does. */
  waits: (takeBack: (() => void) | null) => void
}
export const FilledInContext = createContext<FilledIn | null>(null)

/** Asked for again after this, while nobody says that the connection is back. */
const AGAIN_MS = 3_000
/** An answer that came before anybody saw that it was waited for is taken for one after this. */
const UNSEEN_MS = 300

/** Nothing asked; asked, and not yet seen on its way; on its way; kept until the connection is back. */
type Phase = 'idle' | 'asked' | 'sent' | 'waiting'

/**
 * Sends what was asked for once, however long the connection is away: it is kept as it was asked for, tried again, and can be
 * taken back until it has gone.
 * @param isLook - nothing is kept by it: what was filled in is still not saved when it has been answered
 */
export function useWaiting(sending: Sending, isLook: boolean): { isWaiting: boolean; takeBack: () => void; send: () => void } {
  const { isPending, error } = sending
  const [phase, setPhase] = useState<Phase>('idle')
  const filledIn = useContext(FilledInContext)
  const latest = useRef(sending)
  latest.current = sending
  const takeBack = useCallback((): void => {
    setPhase('idle')
    latest.current.reset?.()
  }, [])
  const settle = useCallback((): void => {
    const { error: now } = latest.current
    setPhase(isAway(now) ? 'waiting' : 'idle')
    if (now === null && !isLook) filledIn?.saved()
  }, [filledIn, isLook])
  useEffect(() => {
    if (phase === 'asked' && isPending) setPhase('sent')
    else if (phase === 'asked') {
      const timer = setTimeout(settle, UNSEEN_MS)
      return () => clearTimeout(timer)
    } else if (!isPending && (phase === 'sent' || (phase === 'waiting' && !isAway(error)))) settle()
    return undefined
  }, [phase, isPending, error, settle])
  useEffect(() => {
    if (phase !== 'waiting' || isPending) return
    const again = (): void => latest.current.mutate()
    const timer = setTimeout(again, AGAIN_MS)
    addEventListener('online', again)
    return () => {
      clearTimeout(timer)
      removeEventListener('online', again)
    }
  }, [phase, isPending])
  useEffect(() => {
    if (phase !== 'waiting') return
    filledIn?.waits(takeBack)
    return () => filledIn?.waits(null)
  }, [phase, filledIn, takeBack])
  return {
    isWaiting: phase === 'waiting',
    takeBack,
    send: () => {
      setPhase('asked')
      sending.mutate()
    },
  }
}
