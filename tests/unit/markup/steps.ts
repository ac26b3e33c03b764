import { Session } from 'node:inspector'

/** How often any block of the product's own code was entered, whatever else the machine does: V8's block counts. */
export class StepCounter {
  readonly #session = new Session()

  constructor() {
    this.#session.connect()
    this.#session.post('Profiler.enable')
    this.#session.post('Profiler.startPreciseCoverage', { callCount: true, detailed: true })
  }

  /** Steps of one run of `work`. What the runtime does inside itself (searching a text, say) is not among them. */
  of(work: () => unknown): number {
    this.#take()
    work()
    return this.#take()
  }

  #take(): number {
    let steps = 0
    this.#session.post('Profiler.takePreciseCoverage', (error, counted) => {
      if (error !== null) throw error
      for (const { url, functions } of counted.result)
        if (url.includes('/src/core/')) for (const { ranges } of functions) for (const { count } of ranges) steps += count
    })
    return steps
  }

  close(): void {
    this.#session.post('Profiler.stopPreciseCoverage')
    this.#session.disconnect()
  }
}
