import { BroadcastChannel } from 'node:worker_threads'

/** No query of a screen takes longer, inclusive. */
export const SLOW_MS = 1_000
/** Names that are kept; there are no more functions that ask. */
const NAMES_MAX = 500

/** A function that asked the database, and how often it had to wait long. */
export interface SlowQuery {
  readonly name: string
  readonly times: number
  readonly worstMs: number
}

const known = new Map<string, { times: number; worstMs: number }>()
/** Threads ask as well; what they waited for is told where it is read. */
const channel = new BroadcastChannel('slow queries')
channel.unref()
channel.onmessage = (event): void => {
  const { data } = event as { readonly data: { readonly name: string; readonly ms: number } }
  add(data.name, data.ms)
}

function add(name: string, ms: number): void {
  const before = known.get(name) ?? { times: 0, worstMs: 0 }
  if (known.size < NAMES_MAX || known.has(name)) known.set(name, { times: before.times + 1, worstMs: Math.max(before.worstMs, ms) })
}

/** What stands between a query and the function that asks; a bundle may number them. */
const BETWEEN = /^(?:noteTime|rows|select|selectOne|count|insert|insertAll|update|remove)\d*$/

/** Notes down that a query took so long, under the name of the function that asked. @param stack - as it is once the answer is here */
export function noteSlow(ms: number, stack: string): void {
  const names = [...stack.matchAll(/^ +at async (?:\w+\.)*([\w$#]+) \(/gm)].map(([, name]) => name)
  const name = names.find((each) => each !== undefined && !BETWEEN.test(each)) ?? 'unnamed'
  add(name, ms)
  channel.postMessage({ name, ms })
}

/** Of this process, since it started. */
export const slowQueries = (): readonly SlowQuery[] => [...known].map(([name, told]) => ({ name, ...told }))
