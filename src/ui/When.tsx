import { useSyncExternalStore } from 'react'
import { sayWhen } from './when.ts'

const MINUTE_MS = 60_000
const everyMinute = (tell: () => void): (() => void) => {
  const timer = setInterval(tell, MINUTE_MS)
  return () => clearInterval(timer)
}
/** The same for a whole minute: nothing is drawn anew within it. */
const thisMinute = (): number => Math.floor(Date.now() / MINUTE_MS) * MINUTE_MS

/** A moment as people say it. Only the browser knows what time and zone it is there: until it is awake the day alone is shown, as the server has it. */
export function When({ at }: { at: string }) {
  const now = useSyncExternalStore(everyMinute, thisMinute, () => null)
  return <time dateTime={at}>{now === null ? at.slice(0, 10) : sayWhen(at, Math.max(now, Date.parse(at)))}</time>
}
