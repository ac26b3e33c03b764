import { timingSafeEqual } from 'node:crypto'
import type { ServerResponse } from 'node:http'
import { collectDefaultMetrics, Gauge, Histogram, Registry } from 'prom-client'

/** Bounds of what is counted together, in seconds. */
const BUCKETS = [0.001, 0.0025, 0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10]

/** What one process tells of itself, as Prometheus reads it (text format 0.0.4). Names begin with the process, so that the texts of several fit together. */
export class Metrics {
  readonly #registry = new Registry()
  readonly #prefix: string
  readonly #requests: Histogram<'role' | 'status'>

  /** @param name - of the process, in the names of its metrics */
  constructor(name: string) {
    this.#prefix = `maprope_${name}_`
    collectDefaultMetrics({ register: this.#registry, prefix: this.#prefix })
    this.#requests = new Histogram({
      name: `${this.#prefix}request_seconds`,
      help: 'Requests by who answered them and by class of status, with the time until the answer was out',
      labelNames: ['role', 'status'],
      buckets: BUCKETS,
      registers: [this.#registry],
    })
  }

  /** Counts a request once it is answered, or given up. @param startedAt - when it came, as `performance.now()` tells it */
  time(role: 'delivery' | 'studio', response: ServerResponse, startedAt: number): void {
    response.once('close', () => this.took(role, response.statusCode, startedAt))
  }

  /** Counts a request that is answered. @param startedAt - when it came, as `performance.now()` tells it */
  took(role: 'delivery' | 'studio', status: number, startedAt: number): void {
    this.#requests.observe({ role, status: `${Math.floor(status / 100)}xx` }, (performance.now() - startedAt) / 1_000)
  }

  /** A number that is asked for when somebody reads. @param read - may fail: then there is no such number this time */
  gauge(name: string, help: string, read: () => number | Promise<number>): void {
    this.#made(name, help, [], async (gauge) => gauge.set(await read()))
  }

  /** Numbers told apart by a word, asked for when somebody reads. */
  gauges(name: string, help: string, label: string, read: () => Promise<readonly (readonly [value: string, number: number])[]>): void {
    this.#made(name, help, [label], async (gauge) => {
      for (const [value, number] of await read()) gauge.set({ [label]: value }, number)
    })
  }

  #made(name: string, help: string, labelNames: string[], collect: (gauge: Gauge) => Promise<void>): void {
    new Gauge({
      name: this.#prefix + name,
      help,
      labelNames,
      registers: [this.#registry],
      async collect() {
        this.reset()
        await collect(this).catch(() => this.reset())
      },
    })
  }

  text(): Promise<string> {
    return this.#registry.metrics()
  }
}

/** Whether a request brings the word that lets it read metrics. */
export function mayRead(authorization: string | undefined, token: string): boolean {
  const [said, wanted] = [Buffer.from(authorization ?? ''), Buffer.from(`Bearer ${token}`)]
  return said.length === wanted.length && timingSafeEqual(said, wanted)
}
