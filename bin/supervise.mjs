/** The pause before a process is started again doubles with each end in a row, up to the longest. */
const FIRST_PAUSE_MS = 500
const LONGEST_PAUSE_MS = 30_000
/** A process that ran this long was well: its next end is the first in a row again. */
const WELL_AFTER_MS = 60_000

/**
 * Keeps a process running: when it ends by itself it is started again, after a pause that grows.
 * @param start - starts it and answers the child once it is ready; rejects when it ended before that
 * @param say - told what happened, in a sentence
 * @returns the process as it is now, and how to end or replace it; rejects when the very first start fails
 */
export async function supervise(start, { name, say = console.error, firstPauseMs = FIRST_PAUSE_MS }) {
  let isOver = false
  let ends = 0
  let wake = () => {}
  const state = { child: null }

  const watch = (child) => {
    const beganAt = Date.now()
    state.child = child
    const onExit = (code, signal) => {
      if (isOver || state.child !== child) return
      if (Date.now() - beganAt > WELL_AFTER_MS) ends = 0
      void again(signal ?? code)
    }
    if (hasEnded(child)) onExit(child.exitCode, child.signalCode)
    else child.once('exit', onExit)
  }
  const again = async (how) => {
    state.child = null
    const pauseMs = Math.min(LONGEST_PAUSE_MS, firstPauseMs * 2 ** ends++)
    say(`The ${name} ended (${how}). It is started again in ${pauseMs / 1000} s.`)
    await new Promise((resolve) => {
      wake = resolve
      setTimeout(resolve, pauseMs)
    })
    if (isOver) return
    try {
      watch(await start())
      say(`The ${name} is running again.`)
    } catch (error) {
      if (!isOver) await again(error.message)
    }
  }
  watch(await start())
  return {
    get child() {
      return state.child
    },
    /** Ends it for good. */
    async stop() {
      isOver = true
      wake()
      await ended(state.child)
    },
    /** Ends it and starts it anew at once. */
    async restart() {
      const { child } = state
      state.child = null
      await ended(child)
      watch(await start())
    },
  }
}

const hasEnded = (child) => child === null || child.exitCode !== null || child.signalCode !== null

/** Asks a process to end, and waits until it has. */
export function ended(child) {
  return new Promise((resolve) => {
    if (hasEnded(child)) return resolve()
    child.once('exit', () => resolve())
    child.kill('SIGTERM')
  })
}
