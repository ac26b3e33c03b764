/** The thread that moves click logs to PostgreSQL: parsing and copying must not take time from answering. */
import { parentPort, workerData } from 'node:worker_threads'
import { z } from 'zod'
import { closeDatabase, openDatabase } from '../data/database.ts'
import { openLog } from '../data/log.ts'
import { noteTrouble } from '../data/troubles.ts'
import { loadClickLogs } from '../jobs/clicks.ts'

const Orders = z.object({ databaseUrl: z.string(), folder: z.string(), node: z.string(), logLevel: z.string() })

/** People look for a click "within a few seconds". */
const LOAD_EVERY_MS = 1_000
/** Loading takes at most this share of the time: a busy hour is loaded a little later, not answered more slowly. */
const PAUSE_PER_WORK = 2

const { databaseUrl, folder, node, logLevel } = Orders.parse(workerData)
const log = openLog(logLevel)
const db = openDatabase(databaseUrl)
let isStopping = false
let wake: () => void = () => {}
let isFailing = false

/** Whether the log of this machine can be written; null where the Desk knows already. A process begins well, whatever the one before said. */
let isWell: boolean | null = true

parentPort?.on('message', (said) => {
  if (said === 'stop') isStopping = true
  else isWell = said === 'well'
  wake()
})

async function tellTrouble(): Promise<void> {
  if (isWell === null) return
  const told = isWell
  await noteTrouble(db, node, told)
  if (isWell === told) isWell = null
}

while (!isStopping) {
  const startedAt = performance.now()
  await Promise.all([loadClickLogs(db, folder, log), tellTrouble()]).then(
    () => {
      isFailing = false
    },
    (error: unknown) => {
      if (!isFailing) log.warn({ err: error }, 'click logs could not be loaded; they are kept and tried again')
      isFailing = true
    },
  )
  const pauseMs = Math.max(LOAD_EVERY_MS, (performance.now() - startedAt) * PAUSE_PER_WORK)
  await new Promise<void>((resolve) => {
    wake = resolve
    setTimeout(resolve, pauseMs)
  })
}
await loadClickLogs(db, folder, log).catch(() => {})
await closeDatabase(db)
parentPort?.close()
