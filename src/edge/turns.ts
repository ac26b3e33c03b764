/** What waits for its turn is gone on with for so long, before what has come meanwhile is read. */
const TURN_MS = 4

const waiting: (() => void)[] = []
let isRunning = false

/**
 * Does something when it is its turn: each connection goes on with one request, then the others with theirs, and whoever asks for
 * the first time waits for none of them.
 */
export function inTurn(work: () => void): void {
  waiting.push(work)
  if (isRunning) return
  isRunning = true
  setImmediate(run)
}

function run(): void {
  const until = performance.now() + TURN_MS
  let done = 0
  try {
    while (done < waiting.length && performance.now() < until) waiting[done++]?.()
  } finally {
    // Whatever becomes of one, the others have their turn.
    waiting.splice(0, done)
    isRunning = waiting.length > 0
    if (isRunning) setImmediate(run)
  }
}
