import { setImmediate as breathe, setTimeout as sleep } from 'node:timers/promises'

/** Work goes on for so long before others have their turn: whoever asks the database ten times on the same thread waits for ten of them. */
const TURN_MS = 3

/** Whoever goes first is waited for in steps of this length, and for so many of them in a turn: the long work goes on all the same. */
const STEP_MS = 4
const STEPS_MAX = 10

let goingFirst = 0

/** Does what somebody waits for at once: what takes long on the same thread, and lets others by, stands still for most of that time. */
export async function goFirst<T>(work: () => Promise<T>): Promise<T> {
  goingFirst++
  try {
    return await work()
  } finally {
    goingFirst--
  }
}

/**
 * Long work on a thread on which others wait too, turn by turn: `if (turns.isOver) await turns.next()` between two small pieces. Asking
 * costs less than waiting for what need not be waited for.
 */
export class Turns {
  #until = performance.now() + TURN_MS

  get isOver(): boolean {
    return performance.now() >= this.#until
  }

  /** Lets the others go first. */
  async next(): Promise<void> {
    await breathe()
    this.#until = performance.now() + TURN_MS
  }

  /** Lets them go first, and whoever is to be there at once be done. */
  async letBy(): Promise<void> {
    await breathe()
    for (let step = 0; goingFirst > 0 && step < STEPS_MAX; step++) await sleep(STEP_MS)
    this.#until = performance.now() + TURN_MS
  }

  /** Does a work that is cut into pieces, to its end. */
  async through(pieces: Iterable<unknown>): Promise<void> {
    for (const _ of pieces) if (this.isOver) await this.next()
  }
}
