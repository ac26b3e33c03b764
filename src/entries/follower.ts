/** The thread that keeps the delivery store up to date: reading changes and writing them must not take time from answering. */
import { parentPort, workerData } from 'node:worker_threads'
import { z } from 'zod'
import { closeDatabase, openDatabase } from '../data/database.ts'
import { openLog } from '../data/log.ts'
import { Follower, StorePlaces } from '../delivery/store/index.ts'

const Orders = z.object({ databaseUrl: z.string(), dataFolder: z.string(), logLevel: z.string() })
const { databaseUrl, dataFolder, logLevel } = Orders.parse(workerData)
const db = openDatabase(databaseUrl)
const follower = new Follower(db, new StorePlaces(dataFolder), openLog(logLevel), (isWhole) =>
  parentPort?.postMessage(isWhole ? 'built' : 'begun'),
)

parentPort?.on('message', (message: unknown) => {
  if (message === 'damaged') follower.rebuildSoon()
  else if (message === 'lag') void follower.lag().then((lag) => parentPort?.postMessage({ lag }))
  else if (message === 'stop')
    void follower
      .stop()
      .then(() => closeDatabase(db))
      .then(() => process.exit(0))
})
await follower.run()
