/** A thread in which service calls are carried out whose length is up to how much a site holds. It keeps what it judged for the next. */
import { BroadcastChannel, workerData } from 'node:worker_threads'
import { goFirst, whileWanted } from '../apart/index.ts'
import { fail, type Result } from '../core/result.ts'
import { openDatabase } from '../data/database.ts'
import { openLog } from '../data/log.ts'
import { type JobQueue, openJobQueue } from '../jobs/index.ts'
import {
  type Actor,
  arrived,
  BeingRead,
  createServices,
  type ServiceOrder,
  type ServiceThreadData,
  withPatience,
} from '../services/index.ts'

const { settings, stops } = workerData as ServiceThreadData
const db = openDatabase(settings.databaseUrl)
const log = openLog(settings.logLevel)
let queue: Promise<JobQueue> | null = null
const services = createServices({
  db,
  settings,
  log,
  async enqueue(name, data) {
    queue ??= openJobQueue(db, false, log, settings)
    await (await queue).enqueue(name, data)
  },
})

services.placements.takeUp().catch((error: unknown) => log.warn({ err: error }, 'a list of links was not taken up before it was asked for'))

type Calls = Readonly<Record<string, (actor: Actor, ...given: readonly unknown[]) => Promise<Result<unknown>>>>

/** Soon enough, and not too often. */
const AGAIN_SECONDS = 2

/** Calls in hand, by their ids. */
const inHand = new Map<string, AbortController>()
const stopping = new BroadcastChannel(stops)
stopping.onmessage = ({ data }) => inHand.get(String(data))?.abort()
stopping.unref()

export default async function carryOut({
  id,
  service,
  call,
  actor,
  given,
  waitsMs,
  goesFirst = false,
}: ServiceOrder): Promise<Result<unknown>> {
  const calls = services[service as keyof typeof services] as unknown as Calls
  const carried = calls[call]
  if (carried === undefined) throw new Error(`There is no ${service}.${call}`)
  const unwanted = new AbortController()
  inHand.set(id, unwanted)
  const work = (): Promise<Result<unknown>> => whileWanted(unwanted.signal, () => carried(arrived(actor), ...given))
  try {
    const patient = () => (waitsMs === undefined ? work() : withPatience(waitsMs, work))
    return await (goesFirst ? goFirst(patient) : patient())
  } catch (error) {
    if (!(error instanceof BeingRead)) throw error
    return fail('links-being-read', { done: error.done, retryAfterSeconds: AGAIN_SECONDS })
  } finally {
    inHand.delete(id)
  }
}
