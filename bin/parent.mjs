import { readFileSync } from 'node:fs'

const LOOK_MS = 500

/**
 * Calls once when whoever started this process is gone. Process managers end `npm` alone, and npm's shell passes no
 * signal on: what hangs below it would run for ever. Started by hand, it belongs to nobody and goes on.
 */
export function whenOrphaned(call) {
  if (process.env.npm_lifecycle_event === undefined) return
  const parent = process.ppid
  const grandparent = parentOf(parent)
  const timer = setInterval(() => {
    if (process.ppid === parent && parentOf(parent) === grandparent) return
    clearInterval(timer)
    call()
  }, LOOK_MS)
  timer.unref()
}

/** The parent of a process, as the kernel tells it (proc(5), /proc/pid/stat); null where it does not. */
function parentOf(pid) {
  try {
    return Number(/^\d+ \(.*\) \S (\d+)/s.exec(readFileSync(`/proc/${pid}/stat`, 'utf8'))?.[1] ?? Number.NaN)
  } catch {
    return null
  }
}
