import { setImmediate as breathe } from 'node:timers/promises'

/** Work goes on for so long before others have their turn: whoever asks the database ten times on the same thread waits for ten of them. */
const TURN_MS = 3

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

  /** Does a work that is cut into pieces, to its end. */
  async through(pieces: Iterable<unknown>): Promise<void> {
    for (const _ of pieces) if (this.isOver) await this.next()
  }
}
