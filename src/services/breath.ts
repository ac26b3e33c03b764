/** Longest stretch that work on the answering thread holds everybody else up. */
const STRETCH_MS = 10

/** Lets others be answered in the middle of long work that stays on this thread, and ends it at its deadline. */
export class Breath {
  readonly #endsAt: number
  #lastAt = performance.now()

  constructor(deadlineMs: number) {
    this.#endsAt = this.#lastAt + deadlineMs
  }

  get isDue(): boolean {
    return performance.now() - this.#lastAt > STRETCH_MS
  }

  get isOver(): boolean {
    return this.#lastAt > this.#endsAt
  }

  async take(): Promise<void> {
    await new Promise((resolve) => setImmediate(resolve))
    this.#lastAt = performance.now()
  }
}
